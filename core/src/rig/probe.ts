import { encodeMidi } from '../midi/encode-midi';
import { TICKS_PER_BEAT, type MidiMessage } from '../midi/message';
import { fullFrame } from '../timecode/timecode-messages';
import type { RigGear } from './rig';

export const PROBE_BEATS = 4;
const BEAT_MS = 500;
/** Between start and the first tick. */
const LEAD_MS = 2;
const NOTE = 60;
const NOTE_MS = 150;
const CHANNELS = 16;

/** What shows that a device is on an output: it plays a bar, or its display jumps to one hour. */
export type ProbeKind = 'bar' | 'position';

export function probeKind({ syncsTo }: Pick<RigGear, 'syncsTo'>): ProbeKind {
  return syncsTo === 'timecode' ? 'position' : 'bar';
}

/** When the beats of a probe's bar are due, ms. */
export function probeBeats(atMs: number): number[] {
  return Array.from({ length: PROBE_BEATS }, (_, beat) => atMs + beat * BEAT_MS);
}

/**
 * One bar at 120 BPM that any device can play, with the due time of each message: clock with start and stop, and quarter
 * notes on every channel for a device that doesn't start by clock. A timecode follower is located to one hour instead.
 */
export function probeMessages(
  { able, syncsTo, rate }: Pick<RigGear, 'able' | 'syncsTo' | 'rate'>,
  atMs: number,
): { bytes: Uint8Array; atMs: number }[] {
  if (syncsTo === 'timecode')
    return [{ bytes: fullFrame({ hours: 1, minutes: 0, seconds: 0, frames: 0 }, rate), atMs }];
  const at = (message: MidiMessage, ms: number) => ({ bytes: encodeMidi(message), atMs: ms });
  const tickMs = BEAT_MS / TICKS_PER_BEAT;
  const ticks = Array.from({ length: PROBE_BEATS * TICKS_PER_BEAT }, (_, k) =>
    at({ kind: 'clock' }, atMs + k * tickMs),
  );
  const clock = [at({ kind: 'start' }, atMs - LEAD_MS), ...ticks, at({ kind: 'stop' }, atMs + PROBE_BEATS * BEAT_MS)];
  const notes = probeBeats(atMs).flatMap((ms) =>
    Array.from({ length: CHANNELS }, (_, i) => [
      at({ kind: 'noteOn', channel: i + 1, note: NOTE, velocity: 100 }, ms),
      at({ kind: 'noteOff', channel: i + 1, note: NOTE, velocity: 64 }, ms + NOTE_MS),
    ]).flat(),
  );
  const all = [...(able.clock ? clock : []), ...(able.clock && able.startStop && syncsTo === 'clock' ? [] : notes)];
  return all.sort((one, other) => one.atMs - other.atMs);
}
