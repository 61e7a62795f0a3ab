import fc from 'fast-check';
import { parseMidi, writeMidi } from 'midi-file';
import { encodeMidi } from '../midi/encode-midi';
import {
  readMessageFile,
  readMessageText,
  writeMessageFile,
  writeMessageText,
  type CapturedMessage,
} from './message-file';

const start = Uint8Array.of(0xfa);
const clock = Uint8Array.of(0xf8);
const fullFrame = Uint8Array.of(0xf0, 0x7f, 0x7f, 1, 1, 0x21, 2, 3, 4, 0xf7);
const some: CapturedMessage[] = [
  { atMs: 0, direction: 'out', port: 'Porch beat box', bytes: start },
  { atMs: 1.25, direction: 'out', port: 'Porch beat box', bytes: clock },
  { atMs: 1.25, direction: 'in', port: 'Löwe "2"', bytes: Uint8Array.of(0x90, 60, 100) },
  { atMs: 22.08, direction: 'out', port: 'Porch beat box', bytes: clock },
  { atMs: 40, direction: 'in', port: 'Löwe "2"', bytes: fullFrame },
];

test('messages survive a MIDI file round trip to 10 µs', () => {
  expect(readMessageFile(writeMessageFile(some))).toEqual(some);
});

test('messages survive a text round trip exactly', () => {
  const odd = some.map((one) => ({ ...one, atMs: one.atMs + 1 / 3 }));
  expect(readMessageText(writeMessageText(odd))).toEqual(odd);
});

const captured = fc.record({
  atMs: fc.double({ min: 0, max: 1e7, noNaN: true }),
  direction: fc.constantFrom('in' as const, 'out' as const),
  port: fc.string({ maxLength: 60 }),
  bytes: fc.oneof(
    fc.constantFrom(start, clock, fullFrame),
    fc.uint8Array({ minLength: 1, maxLength: 40 }),
    fc.integer({ min: 0, max: 16_383 }).map((sixteenths) => encodeMidi({ kind: 'songPosition', sixteenths })),
  ),
});

test('any messages on any ports survive a text round trip, and their bytes a file round trip', () => {
  fc.assert(
    fc.property(fc.array(captured, { maxLength: 30 }), (messages) => {
      const sorted = [...messages].sort((a, b) => a.atMs - b.atMs);
      expect(readMessageText(writeMessageText(messages))).toEqual(sorted);
      const bytes = (all: CapturedMessage[]) => all.map((one) => one.bytes.join(' ')).sort();
      expect(bytes(readMessageFile(writeMessageFile(messages)))).toEqual(bytes(messages));
    }),
  );
});

// midi-file (a general library) is the second reader and writer of Standard MIDI Files.
test('another library reads the file: tempo, tracks, and clock behind the RP-001 escape', () => {
  const { header, tracks } = parseMidi(writeMessageFile(some));
  expect(header).toMatchObject({ format: 1, numTracks: 2, ticksPerBeat: 25_000 });
  const [out] = tracks;
  expect(out).toMatchObject([
    { type: 'trackName', text: 'out Porch beat box' },
    { type: 'setTempo', microsecondsPerBeat: 250_000 },
    { type: 'endSysEx', data: Uint8Array.of(0xfa), deltaTime: 0 },
    { type: 'endSysEx', data: Uint8Array.of(0xf8), deltaTime: 125 },
    { type: 'endSysEx', data: Uint8Array.of(0xf8), deltaTime: 2083 },
    { type: 'endOfTrack' },
  ]);
});

test('a file from another library is read at its own tempo, including tempo changes', () => {
  const file = writeMidi({
    header: { format: 0, numTracks: 1, ticksPerBeat: 480 },
    tracks: [
      [
        { deltaTime: 0, type: 'setTempo', microsecondsPerBeat: 500_000, meta: true },
        { deltaTime: 480, type: 'noteOn', channel: 2, noteNumber: 60, velocity: 90 },
        { deltaTime: 0, type: 'setTempo', microsecondsPerBeat: 1_000_000, meta: true },
        { deltaTime: 240, type: 'noteOff', channel: 2, noteNumber: 60, velocity: 0 },
        { deltaTime: 0, type: 'endOfTrack', meta: true },
      ],
    ],
  });
  expect(readMessageFile(Uint8Array.from(file))).toEqual([
    { atMs: 500, direction: 'in', port: 'Track 1', bytes: Uint8Array.of(0x92, 60, 90) },
    { atMs: 1000, direction: 'in', port: 'Track 1', bytes: expect.any(Uint8Array) as Uint8Array },
  ]);
});

test('an invalid line is named in the error', () => {
  const good = writeMessageText(some);
  expect(() => readMessageText(good.replace('FA', 'fa'))).toThrow(/^Line 2: expected time in ms, in or out/);
  expect(() => readMessageText(good.replace('1.25 out', '1e999 out'))).toThrow('Line 3: “1e999” isn’t a time in ms.');
  expect(() => readMessageText('hello')).toThrow('Line 1: expected “# metronomo messages 1”');
  expect(() => readMessageText('')).toThrow('The file is empty.');
});

test('a pause of more than 28 bits of ticks is preserved', () => {
  const late = [
    { ...some[0]!, atMs: 1 },
    { ...some[1]!, atMs: 6_000_000 },
  ];
  expect(readMessageFile(writeMessageFile(late)).map(({ atMs }) => atMs)).toEqual([1, 6_000_000]);
});
