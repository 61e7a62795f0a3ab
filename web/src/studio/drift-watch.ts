import { DriftTrace, type Drift, type HubSnapshot, type ReturnReading } from '@metronomo/core';
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

/** Subscribes to the session. Call once. */
export function watchDrift(): void {
  const traces = new DriftTraces();
  useSession.subscribe((now, before) => {
    if (now.snapshot.state === 'rolling' && before.snapshot.state !== 'rolling') {
      traces.begin(now.snapshotAtMs);
      useDrift.setState({ beganMs: now.snapshotAtMs, watched: {} });
    }
    if (now.snapshot.state === 'stopped' && before.snapshot.state === 'rolling')
      setTimeout(() => noteStop(before.snapshot, before.snapshotAtMs), AFTER_STOP_MS);
    if (now.live && now.live !== before.live && now.snapshot.state === 'rolling')
      useDrift.setState({ watched: traces.add(now.live.readings) });
  });
}

/** The landings of every channel since the start, each once. */
export class DriftTraces {
  readonly #traces = new Map<number, { trace: DriftTrace; landedMs: number }>();
  #beganMs = Infinity;

  begin(atMs: number): void {
    this.#traces.clear();
    this.#beganMs = atMs;
  }

  add(readings: readonly Pick<ReturnReading, 'landedMs' | 'landings'>[]): Record<number, Watched> {
    const watched: Record<number, Watched> = {};
    readings.forEach(({ landedMs, landings }, channel) => {
      const newest = landings.at(-1);
      const known = this.#traces.get(channel) ?? { trace: new DriftTrace(), landedMs: -Infinity };
      this.#traces.set(channel, known);
      // Skip the first hits: the follower is still settling.
      if (landedMs !== null && newest && landedMs > Math.max(known.landedMs, this.#beganMs + FIRST_BEATS_MS)) {
        known.landedMs = landedMs;
        known.trace.push(landedMs, newest.lateMs);
      }
      watched[channel] = { trace: known.trace.points, drift: known.trace.drift };
    });
    return watched;
  }
}

function noteStop({ beat, bpm }: HubSnapshot, atMs: number): void {
  const { live } = useSession.getState();
  const stops: Record<number, LastStop> = {};
  live?.readings.forEach(({ lastHitMs, medianMs }, channel) => {
    const heard = lastHitMs === null ? null : beatOf(lastHitMs - (medianMs ?? 0), beat, bpm, atMs);
    stops[channel] = { hubBeat: Math.floor(beat), heardBeat: heard === null ? null : Math.round(heard) };
  });
  useDrift.setState({ stops });
}

/** Song position at a time near `atMs`, when the hub was at `beat`. */
export function beatOf(ms: number, beat: number, bpm: number, atMs: number): number {
  return beat - ((atMs - ms) * bpm) / 60_000;
}
