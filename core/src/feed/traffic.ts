import type { MidiMessage, TimedMessage } from '../midi/message';

/** A four-note chord every eighth of a second, as in a busy part; a controller every 10 ms, as from a turned knob. */
const CHORD_MS = 125;
const CHORD = [48, 55, 60, 64];
const HELD_MS = 60;
const KNOB_MS = 10;
/** A short patch dump now and then: 20 ms of a DIN line. */
const DUMP_MS = 500;
const DUMP_BYTES = 62;
/** The non-commercial SysEx id. */
const NON_COMMERCIAL = 0x7d;
const VOLUME_SAFE_CONTROLLER = 20;

/**
 * What a busy player sends beside the clock: notes, a knob and short dumps, each exactly once in windows that follow
 * on. Times in ms, in order.
 */
export function traffic(fromMs: number, toMs: number, channel = 1): TimedMessage[] {
  const dump = Uint8Array.from({ length: DUMP_BYTES }, (_, i) => (i === 0 ? NON_COMMERCIAL : i % 128));
  const lanes: TimedMessage[] = [
    ...every(CHORD_MS, 0, fromMs, toMs, () => CHORD.map((note) => ({ kind: 'noteOn', channel, note, velocity: 64 }))),
    ...every(CHORD_MS, HELD_MS, fromMs, toMs, () =>
      CHORD.map((note) => ({ kind: 'noteOff', channel, note, velocity: 64 })),
    ),
    ...every(KNOB_MS, 3, fromMs, toMs, (k) => [
      { kind: 'controlChange', channel, controller: VOLUME_SAFE_CONTROLLER, value: k % 128 },
    ]),
    ...every(DUMP_MS, 17, fromMs, toMs, () => [{ kind: 'sysex', data: dump }]),
  ];
  return lanes.sort((a, b) => a.atMs - b.atMs);
}

function every(
  periodMs: number,
  phaseMs: number,
  fromMs: number,
  toMs: number,
  what: (k: number) => MidiMessage[],
): TimedMessage[] {
  const all: TimedMessage[] = [];
  for (let k = Math.ceil((fromMs - phaseMs) / periodMs); phaseMs + k * periodMs < toMs; k++)
    all.push(...what(Math.max(0, k)).map((message) => ({ atMs: phaseMs + k * periodMs, message })));
  return all;
}
