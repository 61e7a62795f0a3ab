import { encodeMidi } from '../midi/encode-midi';
import { encodeMmc } from '../midi/mmc';
import { TICKS_PER_BEAT, type MidiMessage } from '../midi/message';
import { fullFrame } from '../timecode/timecode-messages';
import { cablesFrom, cablesTo, gearOf, HUB_ID, socketOf, type Cable, type RigGear, type RigPlan } from './rig';
import { reachedBy } from './plan-wires';

/** A test message to send down a line. */
export type LineTestKind = 'clock burst' | 'note' | 'identity request' | 'full frame' | 'machine control';

/** A line and where its response shows: as audio on an input, as bytes on a port, or on the device itself. */
export interface LineTest {
  cableId: string;
  /** The device that responds; behind a split box, one of those. */
  gearId: string;
  /** The output port of the line. */
  portId: string;
  kinds: readonly LineTestKind[];
  /** The input of its audio return, from 0. */
  hearsAt: number | null;
  /** The input port of its MIDI reply. */
  answersAt: string | null;
}

const BURST_BEATS = 2;
const NOTE_MS = 150;
const NOTE = 60;
const TEST_BPM = 120;
const LEAD_MS = 2;
const MACHINE_PLAYS_MS = 2000;

/** The lines of the hub with their possible tests, most conclusive first. */
export function lineTests(rig: RigPlan): LineTest[] {
  return cablesFrom(rig, HUB_ID).flatMap((cable) => {
    const gear = respondingGear(rig, cable);
    const portId = socketOf(rig, cable.from)?.portId ?? null;
    if (!gear || gear.id === HUB_ID || portId === null) return [];
    const hearsAt = gear.audioOuts.find(({ input }) => input !== null)?.input ?? null;
    const answersAt = answerPort(rig, gear.id);
    const kinds: LineTestKind[] = [];
    if (gear.able.clock && gear.able.startStop) kinds.push('clock burst');
    if (gear.able.timecode.length > 0) kinds.push('full frame');
    if (gear.mmc) kinds.push('machine control');
    kinds.push('note', 'identity request');
    const first: LineTestKind | null = hearsAt === null && answersAt !== null ? 'identity request' : null;
    const ordered = first ? [first, ...kinds.filter((kind) => kind !== first)] : kinds;
    return [{ cableId: cable.id, gearId: gear.id, portId, kinds: ordered, hearsAt, answersAt }];
  });
}

/** The device at the end of a cable; behind a split box, the first that can be heard. */
function respondingGear(rig: RigPlan, cable: Cable): RigGear | undefined {
  const gear = gearOf(rig, cable.to.gearId);
  if (gear?.kind !== 'splitBox') return gear;
  const behind = [...reachedBy(rig, [cable]).keys()].flatMap((id) => gearOf(rig, id) ?? []);
  const others = behind.filter(({ kind }) => kind !== 'splitBox');
  return others.find(({ audioOuts }) => audioOuts.some(({ input }) => input !== null)) ?? others[0] ?? gear;
}

function answerPort(rig: RigPlan, gearId: string): string | null {
  const back: Cable | undefined = cablesTo(rig, HUB_ID).find(({ from }) => from.gearId === gearId);
  return back ? (socketOf(rig, back.to)?.portId ?? null) : null;
}

/**
 * The bytes of a test with their due times, from `atMs` on; a burst lasts two beats at 120 BPM, and a machine plays for
 * two seconds. If a clock already runs on the line (`clockRuns`), a burst adds no ticks.
 */
export function lineTestBytes(
  kind: LineTestKind,
  { channel, clockRuns, atMs }: { channel: number; clockRuns: boolean; atMs: number },
): { bytes: Uint8Array; atMs: number }[] {
  const timed = (message: MidiMessage, afterMs: number) => ({ bytes: encodeMidi(message), atMs: atMs + afterMs });
  switch (kind) {
    case 'clock burst': {
      const tickMs = 60_000 / TEST_BPM / TICKS_PER_BEAT;
      const ticks = Array.from({ length: BURST_BEATS * TICKS_PER_BEAT }, (_, k) =>
        timed({ kind: 'clock' }, LEAD_MS + k * tickMs),
      );
      return [
        timed({ kind: 'start' }, 0),
        ...(clockRuns ? [] : ticks),
        timed({ kind: 'stop' }, LEAD_MS + ticks.length * tickMs),
      ];
    }
    case 'note':
      return [
        timed({ kind: 'noteOn', channel, note: NOTE, velocity: 100 }, 0),
        timed({ kind: 'noteOff', channel, note: NOTE, velocity: 64 }, NOTE_MS),
      ];
    case 'identity request':
      // MIDI 1.0, universal system exclusive: F0 7E 7F 06 01 F7, to all devices.
      return [timed({ kind: 'sysex', data: Uint8Array.of(0x7e, 0x7f, 0x06, 0x01) }, 0)];
    case 'machine control':
      return [timed(encodeMmc({ kind: 'play' }), 0), timed(encodeMmc({ kind: 'stop' }), MACHINE_PLAYS_MS)];
    case 'full frame':
      return [{ bytes: fullFrame({ hours: 1, minutes: 0, seconds: 0, frames: 0 }, '25'), atMs }];
  }
}

/** Whether an incoming message is a response to the test, as opposed to one that keeps arriving anyway. */
export function answersTest(kind: LineTestKind, message: MidiMessage): boolean {
  switch (kind) {
    case 'clock burst':
      return message.kind === 'clock' || message.kind === 'start';
    case 'note':
      return message.kind === 'noteOn' && message.note === NOTE;
    case 'identity request':
      // MIDI 1.0, identity reply: F0 7E <device> 06 02 ... F7.
      return (
        message.kind === 'sysex' && message.data[0] === 0x7e && message.data[2] === 0x06 && message.data[3] === 0x02
      );
    case 'machine control':
      // A response (RP-013: sub-id 07), or the timecode that it plays.
      return (
        message.kind === 'quarterFrame' ||
        (message.kind === 'sysex' && message.data[0] === 0x7f && [0x01, 0x07].includes(message.data[2] ?? 0))
      );
    case 'full frame':
      return message.kind === 'sysex' && message.data[0] === 0x7f && message.data[2] === 0x01;
  }
}
