import fc from 'fast-check';
import { encodeMidi } from '../midi/encode-midi';
import { quarterFrames } from '../timecode/timecode-messages';
import { seededRandom } from '../standin/random';
import { ClockMatch } from './clock-match';
import { readJournal, writeJournal } from './journal';
import { measureLink } from './measure-link';
import { decodeRtpMidi, encodeRtpMidi, type RtpMidiPacket } from './rtp-midi';
import { afterCommand, afterTimecode, AT_REST, NO_TIMECODE } from './sequencer-state';
import { decodeSessionPacket, encodeSessionPacket, type SessionPacket } from './session-packets';
import { SysexPieces } from './sysex-pieces';
import { decodeFrame, encodeFrame, type WireFrame } from './wire';

const u32 = fc.integer({ min: 0, max: 2 ** 32 - 1 });
const u16 = fc.integer({ min: 0, max: 65_535 });
const seven = fc.integer({ min: 0, max: 127 });
const time = fc.integer({ min: 0, max: 2 ** 52 });

const command = fc.oneof(
  fc.constantFrom(0xf8, 0xfa, 0xfb, 0xfc, 0xfe, 0xff, 0xf6).map((status) => Uint8Array.of(status)),
  fc.tuple(fc.integer({ min: 0x80, max: 0xbf }), seven, seven).map((bytes) => Uint8Array.from(bytes)),
  fc.tuple(fc.integer({ min: 0xc0, max: 0xdf }), seven).map((bytes) => Uint8Array.from(bytes)),
  fc.tuple(fc.constant(0xf2), seven, seven).map((bytes) => Uint8Array.from(bytes)),
  fc.tuple(fc.constant(0xf1), seven).map((bytes) => Uint8Array.from(bytes)),
  fc.array(seven, { maxLength: 40 }).map((data) => Uint8Array.of(0xf0, ...data, 0xf7)),
);

test('RTP packets survive a round trip, with their times', () => {
  const stamped = fc.array(fc.tuple(fc.integer({ min: 0, max: 100_000 }), command), { maxLength: 60 });
  fc.assert(
    fc.property(
      u16,
      u32,
      u32,
      stamped,
      fc.option(fc.uint8Array({ minLength: 3, maxLength: 20 })),
      (sequence, stamp, ssrc, list, journal) => {
        let at = 0;
        const commands = list.map(([delta, bytes]) => ({ stamp: (at += delta), bytes }));
        const packet: RtpMidiPacket = { sequence, stamp, ssrc, commands, journal };
        expect(decodeRtpMidi(encodeRtpMidi(packet))).toEqual(packet);
      },
    ),
  );
});

test('a packet byte by byte: header, flags and length, running status, a two-byte delta', () => {
  const bytes = encodeRtpMidi({
    sequence: 0x0102,
    stamp: 0x03040506,
    ssrc: 0x0708090a,
    commands: [
      { stamp: 0, bytes: Uint8Array.of(0x90, 60, 100) },
      { stamp: 0, bytes: Uint8Array.of(0xf8) },
      { stamp: 200, bytes: Uint8Array.of(0x90, 60, 0) },
    ],
    journal: null,
  });
  // RFC 3550, 5.1: version 2, marker and type 97; RFC 6295, 3: B 0, J 0, Z 0, P 0, ten octets of list; 200 is 81 48.
  expect([...bytes]).toEqual([
    0x80, 0xe1, 1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 0x09, 0x90, 60, 100, 0, 0xf8, 0x81, 0x48, 60, 0,
  ]);
});

test.each([
  ['shorter than its header', [0x80, 0x61, 0, 0]],
  ['of another version', [0x40, 0x61, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0x01, 0xf8]],
  ['with a list longer than itself', [0x80, 0x61, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0x05, 0xf8]],
  ['that begins with data and no status', [0x80, 0x61, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0x02, 60, 100]],
  ['with a status byte inside a command', [0x80, 0x61, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0x03, 0x90, 0x90, 1]],
  ['with a delta of five octets', [0x80, 0x61, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0x26, 0x81, 0x81, 0x81, 0x81, 0x01, 0xf8]],
  ['with more padding than bytes', [0xa0, 0x61, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0x01, 0xf8, 200]],
  ['with an extension that is not there', [0x90, 0x61, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0xff, 0xff]],
])('nothing is read from a packet %s', (_, bytes) => {
  expect(decodeRtpMidi(Uint8Array.from(bytes))).toBeNull();
});

test('session packets survive a round trip', () => {
  const introduction = fc.record({
    kind: fc.constantFrom('invitation', 'accepted'),
    token: u32,
    ssrc: u32,
    name: fc.constantFrom('Boathouse', 'Überfahrt 2', 'a b'),
  });
  const farewell = fc.record({ kind: fc.constantFrom('refused', 'end'), token: u32, ssrc: u32 });
  const clock = fc.record({
    kind: fc.constant('clock'),
    ssrc: u32,
    count: fc.constantFrom(0, 1, 2),
    times: fc.tuple(time, time, time),
  });
  const feedback = fc.record({ kind: fc.constant('feedback'), ssrc: u32, sequence: u16 });
  fc.assert(
    fc.property(fc.oneof(introduction, farewell, clock, feedback), (packet) => {
      expect(decodeSessionPacket(encodeSessionPacket(packet as SessionPacket))).toEqual(packet);
    }),
  );
});

test('peer names are sanitized: no control characters, no directional marks, bounded length', () => {
  const named = (name: string) => {
    const packet = decodeSessionPacket(encodeSessionPacket({ kind: 'invitation', token: 1, ssrc: 2, name }));
    return packet?.kind === 'invitation' ? packet.name : null;
  };
  expect(named('Je\u0007t\u202ety\n')).toBe('Jetty');
  expect(named('\u0000')).toBe('unnamed');
  expect(named('x'.repeat(5000))).toHaveLength(60);
  const raw = encodeSessionPacket({ kind: 'invitation', token: 1, ssrc: 2, name: 'abc' });
  raw.set([0xff, 0xc0], 16);
  expect(decodeSessionPacket(raw)).toMatchObject({ kind: 'invitation' });
});

test('a journal carries the sequencer state and is read back', () => {
  const messages = [0xfa, 0xf8, 0xf8, 0xf8].map((status) => Uint8Array.of(status));
  const sequencer = messages.reduce(afterCommand, AT_REST);
  expect(sequencer).toEqual({ performing: true, downbeat: true, position: 2 });
  const journal = writeJournal({
    checkpoint: 7,
    sequencer,
    timecode: null,
    recentTimecode: false,
    notes: [],
  });
  // Y set, one system journal with Q: N, D and C set, position 2 in 19 bits.
  expect([...journal]).toEqual([0x40, 0, 7, 0x10, 5, 0x70, 0, 2]);
  expect(readJournal(journal)).toEqual({ checkpoint: 7, sequencer, timecode: null, notes: [] });
  const stopped = [...messages, Uint8Array.of(0xfc)].reduce(afterCommand, AT_REST);
  expect(stopped).toEqual({ performing: false, downbeat: false, position: 3 });
  const placed = afterCommand(stopped, encodeMidi({ kind: 'songPosition', sixteenths: 16 }));
  expect(placed.position).toBe(96);
});

test('a journal carries the timecode state: complete sets, a set in progress, a full frame', () => {
  const pieces = quarterFrames({ hours: 1, minutes: 2, seconds: 3, frames: 4 }, '25');
  const roundTrip = (timecode: typeof NO_TIMECODE) =>
    readJournal(writeJournal({ checkpoint: 1, sequencer: AT_REST, timecode, recentTimecode: true, notes: [] }))
      ?.timecode;
  const whole = pieces.reduce(afterTimecode, NO_TIMECODE);
  expect(roundTrip(whole)).toEqual(whole);
  const underWay = quarterFrames({ hours: 1, minutes: 2, seconds: 3, frames: 6 }, '25')
    .slice(0, 3)
    .reduce(afterTimecode, whole);
  expect(underWay.piece).toBe(2);
  expect(roundTrip(underWay)).toEqual(underWay);
  const full = afterTimecode(underWay, Uint8Array.of(0xf0, 0x7f, 0x7f, 1, 1, 0x21, 2, 3, 4, 0xf7));
  expect(roundTrip(full)).toEqual(full);
});

test('a journal carries sounding and released notes on each channel', () => {
  const notes = [
    { channel: 2, note: 60, velocity: 100, fresh: true },
    { channel: 2, note: 64, velocity: 90, fresh: false },
    { channel: 2, note: 0, velocity: 0, fresh: false },
    { channel: 2, note: 127, velocity: 0, fresh: false },
    { channel: 9, note: 36, velocity: 0, fresh: false },
  ];
  const journal = writeJournal({ checkpoint: 7, sequencer: null, timecode: null, recentTimecode: false, notes });
  expect(readJournal(journal)?.notes).toEqual(notes);
  // A set, two channels; channel 9 with N alone: nothing sounds, note 36 in the one octet of off bits.
  expect([...journal.subarray(0, 3)]).toEqual([0x21, 0, 7]);
  expect([...journal.subarray(-6)]).toEqual([9 << 3, 6, 0x08, 0, 0x44, 0x08]);
  expect(readJournal(journal.subarray(0, -1))).toBeNull();
});

test('arbitrary journals are read without harm', () => {
  fc.assert(
    fc.property(fc.uint8Array({ maxLength: 64 }), (bytes) => void readJournal(bytes)),
    { numRuns: 5000 },
  );
  // Chapter D with resets, before Q; two channel journals behind.
  const mixed = Uint8Array.of(0x61, 0, 9, 0x50, 7, 0x60, 3, 2, 0x50, 0, 6, 0, 4, 0x80, 1, 0x08, 3, 0);
  expect(readJournal(mixed)).toBeNull();
});

test('a segmented SysEx is reassembled; one that lacks its start or was cancelled isn’t', () => {
  const pieces = new SysexPieces();
  expect(pieces.push(Uint8Array.of(0xf0, 1, 2, 0xf0))).toBeNull();
  expect(pieces.push(Uint8Array.of(0xf8))).toEqual(Uint8Array.of(0xf8));
  expect(pieces.push(Uint8Array.of(0xf7, 3, 0xf0))).toBeNull();
  expect(pieces.push(Uint8Array.of(0xf7, 4, 0xf7))).toEqual(Uint8Array.of(0xf0, 1, 2, 3, 4, 0xf7));
  expect(pieces.push(Uint8Array.of(0xf7, 4, 0xf7))).toBeNull();
  pieces.push(Uint8Array.of(0xf0, 1, 0xf0));
  expect(pieces.push(Uint8Array.of(0xf7, 0xf4))).toBeNull();
  expect(pieces.push(Uint8Array.of(0xf7, 4, 0xf7))).toBeNull();
});

test('frames between browser and server survive a round trip; invalid ones are rejected', () => {
  const frames: WireFrame[] = [
    {
      kind: 'messages',
      messages: [
        { line: 3, atMs: 12.5, bytes: Uint8Array.of(0xf8) },
        { line: 4, atMs: 13, bytes: new Uint8Array(70_000) },
      ],
    },
    { kind: 'ask', sentMs: 1.25 },
    { kind: 'answer', sentMs: 1.25, serverMs: 1e9 + 0.125 },
    {
      kind: 'lines',
      lines: [
        { line: 1, key: 'jetty-1', open: true },
        { line: 2, key: 'a', open: false },
      ],
    },
  ];
  for (const frame of frames) expect(decodeFrame(encodeFrame(frame))).toEqual(frame);
  for (const frame of frames) expect(decodeFrame(encodeFrame(frame).subarray(0, -1))).toBeNull();
  fc.assert(
    fc.property(fc.uint8Array({ maxLength: 60 }), (bytes) => void decodeFrame(bytes)),
    { numRuns: 2000 },
  );
});

test('clocks are matched from fast and slow exchanges; a slow one counts for little', () => {
  const match = new ClockMatch();
  for (let i = 0; i < 40; i++) {
    const sentMs = i * 500;
    // Every fourth reply is delayed by 40 ms on its way back.
    const back = i % 4 === 0 ? 40 : 1;
    match.push({ sentMs, theirsMs: (sentMs + 1) * 1.00002 + 5000, receivedMs: sentMs + 1 + back });
  }
  expect(Math.abs(match.toTheirs(20_000) - (20_000 * 1.00002 + 5000))).toBeLessThan(0.05);
  expect(match.toOurs(match.toTheirs(12_345))).toBeCloseTo(12_345, 9);
});

test('jitter in one direction only doesn’t shift the clock estimate', () => {
  const { uniform } = seededRandom(4);
  const match = new ClockMatch();
  for (let i = 0; i < 400; i++) {
    const sentMs = i * 100;
    const backMs = 1 + 20 * uniform();
    match.push({ sentMs, theirsMs: sentMs + 1 + 5000, receivedMs: sentMs + 1 + backMs });
  }
  // The mean of all exchanges would be 5 ms off.
  expect(Math.abs(match.toTheirs(40_000) - 45_000)).toBeLessThan(0.25);
  expect(match.at(40_000)!.standardErrorMs).toBeLessThan(0.25);
});

test('a clock that is set is noticed after three exchanges; a single impossible one changes nothing', () => {
  const match = new ClockMatch();
  const exchange = (sentMs: number, shiftMs: number) =>
    match.push({ sentMs, theirsMs: sentMs + 1 + shiftMs, receivedMs: sentMs + 2 });
  for (let i = 0; i < 30; i++) exchange(i * 100, 5000);
  exchange(3000, 5040);
  exchange(3100, 5000);
  expect([match.jumps, match.isInDoubt]).toEqual([0, false]);
  for (let i = 0; i < 3; i++) exchange(3200 + i * 100, 5040);
  expect(match.jumps).toBe(1);
  expect(match.toTheirs(3500)).toBeCloseTo(8540, 1);
});

test('a link report: loss with its interval, both directions, and recommended settings', () => {
  const records = Array.from({ length: 400 }, (_, i) => ({
    number: i + 1,
    sentMs: i * 25,
    theirsMs: i % 100 === 7 ? null : i * 25 + 900 + 4 + (i % 3),
    receivedMs: i % 100 === 7 ? null : i * 25 + 8 + (i % 3) + (i % 5),
  }));
  const report = measureLink(records)!;
  expect(report).toMatchObject({ asked: 400, answered: 396 });
  // Wilson's interval for 4 of 400, worked out by hand from the formula.
  expect(report.lossInterval.map((share) => share.toFixed(5))).toEqual(['0.00390', '0.02543']);
  expect(report.roundTripMs).toMatchObject({ least: 8, median: 11, most: 14 });
  expect(report.offsetOnArrivalMs).toBe(-5.5);
  expect(report.bufferMs).toBeGreaterThan(8);
  expect(report.bufferMs).toBeLessThan(16);
  expect(measureLink(records.slice(0, 5))).toBeNull();
});
