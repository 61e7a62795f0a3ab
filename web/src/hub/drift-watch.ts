import { DriftTrace, type Drift } from '@metronomo/core';
import { create } from 'zustand';
import { useSession } from './session';

/** How far a follower has wandered since play began, and where it stood when the hub stopped last. */
export interface Watched {
  trace: readonly { atMs: number; lateMs: number }[];
  drift: Drift | null;
}

/** At the last stop: the last beat that the hub played, and the last one that was heard of a follower, in quarter notes. */
export interface LastStop {
  hubBeat: number;
  heardBeat: number | null;
}

interface DriftState {
  beganMs: number | null;
  watched: Record<number, Watched>;
  stops: Record<number, LastStop>;
}

/** By input of the interface. */
export const useDrift = create<DriftState>(() => ({ beganMs: null, watched: {}, stops: {} }));

/** Hits that come this long after the stop still belong to it. */
const AFTER_STOP_MS = 700;
const FIRST_BEATS_MS = 1500;

let traces = new Map<number, { trace: DriftTrace; lastHitMs: number }>();

/** Follows the session from now on. Call once. */
export function watchDrift(): void {
  useSession.subscribe((now, before) => {
    if (now.snapshot.state === 'rolling' && before.snapshot.state !== 'rolling') begin(now.snapshotAtMs);
    if (now.snapshot.state === 'stopped' && before.snapshot.state === 'rolling') {
      const { beat, bpm } = before.snapshot;
      setTimeout(() => noteStop(beat, bpm, before.snapshotAtMs), AFTER_STOP_MS);
    }
    if (now.live !== before.live && now.snapshot.state === 'rolling') take();
  });
}

function begin(atMs: number): void {
  traces = new Map();
  useDrift.setState({ beganMs: atMs, watched: {} });
}

function take(): void {
  const { live } = useSession.getState();
  const { beganMs } = useDrift.getState();
  if (!live || beganMs === null) return;
  const watched: Record<number, Watched> = {};
  live.readings.forEach(({ lastHitMs, landings }, channel) => {
    const newest = landings.at(-1);
    const known = traces.get(channel) ?? { trace: new DriftTrace(), lastHitMs: -Infinity };
    traces.set(channel, known);
    // The first hits after play are those of a follower that is still finding its place.
    if (lastHitMs !== null && newest && lastHitMs > known.lastHitMs && lastHitMs > beganMs + FIRST_BEATS_MS) {
      known.lastHitMs = lastHitMs;
      known.trace.push(lastHitMs, newest.lateMs);
    }
    watched[channel] = { trace: known.trace.points, drift: known.trace.drift };
  });
  useDrift.setState({ watched });
}

function noteStop(hubBeat: number, bpm: number, atMs: number): void {
  const { live } = useSession.getState();
  const stops: Record<number, LastStop> = {};
  live?.readings.forEach(({ lastHitMs, medianMs }, channel) => {
    const heard = lastHitMs === null ? null : beatOf(lastHitMs - (medianMs ?? 0), hubBeat, bpm, atMs);
    stops[channel] = { hubBeat: Math.floor(hubBeat), heardBeat: heard === null ? null : Math.round(heard) };
  });
  useDrift.setState({ stops });
}

/** The place in the song of a time near `atMs`, at which the hub stood at `beat`. */
export function beatOf(ms: number, beat: number, bpm: number, atMs: number): number {
  return beat - ((atMs - ms) * bpm) / 60_000;
}
