import { TICKS_PER_BEAT } from '../midi/message';
import type { ChaseReport } from './measure-chase';
import { notesIn, type Arrival, type MidiStream } from './midi-return';
import { measureRuns } from './starts-by-sound';

/** One kind of message that came back on every beat, measured over several starts. Times in ms. */
export interface StartsStream {
  readonly what: Exclude<MidiStream['what'], { kind: 'timecode' }>;
  readonly pulsesMs: number[];
  readonly onsetsMs: number[];
  readonly report: ChaseReport;
}

/** One run of the hub: when it was started and stopped, in ms on the time line of the arrivals. */
export interface HubRun {
  readonly startedMs: number;
  readonly stoppedMs: number;
}

/** Sixteenths of song position in ticks (MIDI 1.0: one position is six clocks). */
const TICKS_PER_SIXTEENTH = 6;
/** A clock with fewer beats than this isn't measured. */
const FEWEST_BEATS = 4;

/**
 * Repeated starts by MIDI alone: the beats of a clock that comes back, counted from its own start, and every note that
 * comes back. In every run the hub plays from the same beat at the same tempo.
 */
export function startsByMidi(arrivals: readonly Arrival[], runs: readonly HubRun[], bpm: number): StartsStream[] {
  const beatMs = 60_000 / bpm;
  const beats = runs.map(({ startedMs, stoppedMs }) =>
    Array.from({ length: Math.max(0, Math.ceil((stoppedMs - startedMs) / beatMs)) }, (_, i) => startedMs + i * beatMs),
  );
  const clock = clockBeats(arrivals);
  const streams = [
    ...(clock.length >= FEWEST_BEATS ? [{ what: { kind: 'clock' } as const, onsetsMs: clock }] : []),
    ...notesIn(arrivals).map(({ channel, note, onsetsMs }) => ({
      what: { kind: 'note', channel, note } as const,
      onsetsMs,
    })),
  ];
  return streams.map((stream) => ({
    ...stream,
    pulsesMs: beats.flat(),
    report: measureRuns(beats, stream.onsetsMs),
  }));
}

/** When a clock says that a beat begins: the first tick after its start is beat 0 (MIDI 1.0). */
function clockBeats(arrivals: readonly Arrival[]): number[] {
  const beats: number[] = [];
  let tick = 0;
  let runs = false;
  for (const { message, atMs } of arrivals) {
    if (message.kind === 'start') [tick, runs] = [0, true];
    else if (message.kind === 'continue') runs = true;
    else if (message.kind === 'stop') runs = false;
    else if (message.kind === 'songPosition') tick = message.sixteenths * TICKS_PER_SIXTEENTH;
    else if (message.kind === 'clock' && runs) {
      if (tick % TICKS_PER_BEAT === 0) beats.push(atMs);
      tick++;
    }
  }
  return beats;
}
