import { DriftTrace, type Drift } from '@metronomo/core';
import { create } from 'zustand';
import { useSession } from './session';

/** A follower's drift since the start. */
export interface Watched {
  trace: readonly { atMs: number; lateMs: number }[];
  drift: Drift | null;
}

/** At the last stop: the hub's last beat, and the last one heard from a follower, in quarter notes. */
export interface LastStop {
  hubBeat: number;
  heardBeat: number | null;
}

interface DriftState {
  beganMs: number | null;
  watched: Record<number, Watched>;
  stops: Record<number, LastStop>;
}

/** Keyed by input channel. */
export const useDrift = create<DriftState>(() => ({ beganMs: null, watched: {}, stops: {} }));

/** Hits this long after the stop still belong to it. */
const AFTER_STOP_MS = 700;
const FIRST_BEATS_MS = 1500;

let traces = new Map<number, { trace: DriftTrace; lastHitMs: number }>();

/** Subscribes to the session. Call once. */
export function watchDrift(): void {
  useSession.subscribe((now, before) => {
    if (now.snapshot.state === 'rolling' && before.snapshot.state !== 'rolling') begin(now.snapshotAtMs);
    if (now.snapshot.state === 'stopped' && before.snapshot.state === 'rolling') {
      const { beat, bpm } = before.snapshot;
      setTimeout(() => noteStop(beat, bpm, before.snapshotAtMs), AFTER_STOP_MS);
    }
    if (now.live !== before.live && now.snapshot.state === 'rolling') takeReadings();
  });
}

function begin(atMs: number): void {
  traces = new Map();
  useDrift.setState({ beganMs: atMs, watched: {} });
}

function takeReadings(): void {
  const { live } = useSession.getState();
  const { beganMs } = useDrift.getState();
  if (!live || beganMs === null) return;
  const watched: Record<number, Watched> = {};
  live.readings.forEach(({ lastHitMs, landings }, channel) => {
    const newest = landings.at(-1);
    const known = traces.get(channel) ?? { trace: new DriftTrace(), lastHitMs: -Infinity };
    traces.set(channel, known);
    // Skip the first hits: the follower is still settling.
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

/** Song position at a time near `atMs`, when the hub was at `beat`. */
export function beatOf(ms: number, beat: number, bpm: number, atMs: number): number {
  return beat - ((atMs - ms) * bpm) / 60_000;
}
