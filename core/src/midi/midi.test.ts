import fc from 'fast-check';
import JZZ from 'jzz';
import { parseMidi as readSmf } from 'midi-file';
import { encodeMidi } from './encode-midi';
import type { MidiMessage } from './message';
import { MidiParser } from './parser';

// Byte values: MIDI 1.0 Detailed Specification 4.2.1, recalled, not copied from the page.
const int = (min: number, max: number) => fc.integer({ min, max });
const channel = int(1, 16);
const seven = int(0, 127);
const anyMessage: fc.Arbitrary<MidiMessage> = fc.oneof(
  fc
    .constantFrom<MidiMessage['kind']>('clock', 'start', 'continue', 'stop', 'activeSensing', 'reset', 'tuneRequest')
    .map((kind) => ({ kind }) as MidiMessage),
  fc.record({ kind: fc.constant('quarterFrame' as const), piece: int(0, 7), nibble: int(0, 15) }),
  fc.record({ kind: fc.constant('songPosition' as const), sixteenths: int(0, 16383) }),
  fc.record({ kind: fc.constant('songSelect' as const), song: seven }),
  fc.record({ kind: fc.constantFrom('noteOn' as const, 'noteOff' as const), channel, note: seven, velocity: seven }),
  fc.record({ kind: fc.constant('polyPressure' as const), channel, note: seven, pressure: seven }),
  fc.record({ kind: fc.constant('controlChange' as const), channel, controller: seven, value: seven }),
  fc.record({ kind: fc.constant('programChange' as const), channel, program: seven }),
  fc.record({ kind: fc.constant('channelPressure' as const), channel, pressure: seven }),
  fc.record({ kind: fc.constant('pitchBend' as const), channel, value: int(0, 16383) }),
  fc.record({ kind: fc.constant('sysex' as const), data: fc.uint8Array({ max: 127, maxLength: 40 }) }),
);

const parse = (...bytes: number[]) => new MidiParser().push(Uint8Array.from(bytes), 0).map((timed) => timed.message);

test('the status bytes match the specification', () => {
  expect([...encodeMidi({ kind: 'clock' })]).toEqual([0xf8]);
  expect([...encodeMidi({ kind: 'start' })]).toEqual([0xfa]);
  expect([...encodeMidi({ kind: 'continue' })]).toEqual([0xfb]);
  expect([...encodeMidi({ kind: 'stop' })]).toEqual([0xfc]);
  expect([...encodeMidi({ kind: 'songPosition', sixteenths: 0x123 })]).toEqual([0xf2, 0x23, 0x02]);
  expect([...encodeMidi({ kind: 'pitchBend', channel: 3, value: 8192 })]).toEqual([0xe2, 0x00, 0x40]);
});

test('any messages, split anywhere, with clock between any two bytes, survive a round trip', () => {
  fc.assert(
    fc.property(fc.array(anyMessage, { maxLength: 20 }), fc.infiniteStream(fc.boolean()), (messages, coin) => {
      const parser = new MidiParser();
      const heard: MidiMessage[] = [];
      let ticks = 0;
      for (const byte of messages.flatMap((message) => [...encodeMidi(message)])) {
        if (coin.next().value) {
          heard.push(...parser.push(Uint8Array.of(0xf8), 0).map((timed) => timed.message));
          ticks++;
        }
        heard.push(...parser.push(Uint8Array.of(byte), 0).map((timed) => timed.message));
      }
      const sent = messages.filter((message) => message.kind !== 'clock');
      expect(heard.filter((message) => message.kind !== 'clock')).toEqual(sent);
      expect(heard.length - sent.length).toBe(ticks + messages.length - sent.length);
      expect(parser.skippedBytes).toBe(0);
    }),
  );
});

test('garbage never throws, and a valid message after it is parsed', () => {
  fc.assert(
    fc.property(fc.uint8Array({ maxLength: 200 }), (bytes) => {
      const parser = new MidiParser();
      parser.push(bytes, 0);
      expect(parser.push(Uint8Array.of(0xf6, 0x90, 60, 100), 7).at(-1)).toEqual({
        atMs: 7,
        message: { kind: 'noteOn', channel: 1, note: 60, velocity: 100 },
      });
    }),
  );
});

test('running status survives real-time bytes and is cleared by system common ones', () => {
  expect(parse(0x91, 60, 1, 0xf8, 61, 2)).toEqual([
    { kind: 'noteOn', channel: 2, note: 60, velocity: 1 },
    { kind: 'clock' },
    { kind: 'noteOn', channel: 2, note: 61, velocity: 2 },
  ]);
  expect(parse(0x91, 60, 1, 0xf1, 0x35, 61, 2)).toEqual([
    { kind: 'noteOn', channel: 2, note: 60, velocity: 1 },
    { kind: 'quarterFrame', piece: 3, nibble: 5 },
  ]);
});

test('truncated or oversized SysEx is dropped and counted', () => {
  const parser = new MidiParser({ maxSysexBytes: 4 });
  expect(parser.push(Uint8Array.of(0xf0, 1, 2, 3, 4, 5, 6, 0xf7), 0)).toEqual([]);
  expect(parser.skippedBytes).toBeGreaterThan(0);
  expect(parser.push(Uint8Array.of(0xf0, 1, 2, 0xfa, 0x90, 1, 1), 0).map((timed) => timed.message.kind)).toEqual([
    'start',
    'noteOn',
  ]);
});

test('an out-of-range field is named in the error', () => {
  expect(() => encodeMidi({ kind: 'noteOn', channel: 0, note: 1, velocity: 1 })).toThrow(/channel.*1 to 16/);
  expect(() => encodeMidi({ kind: 'songPosition', sixteenths: 16384 })).toThrow(/sixteenths.*16383/);
  expect(() => encodeMidi({ kind: 'sysex', data: Uint8Array.of(200) })).toThrow(/SysEx data byte 0/);
});

test('a second library reads our channel messages the same way', () => {
  const header = [0x4d, 0x54, 0x68, 0x64, 0, 0, 0, 6, 0, 0, 0, 1, 0, 24];
  const voice = anyMessage.filter((message) => 'channel' in message);
  fc.assert(
    fc.property(voice, (message) => {
      const event = [0, ...encodeMidi(message), 0, 0xff, 0x2f, 0];
      const track = [0x4d, 0x54, 0x72, 0x6b, 0, 0, 0, event.length, ...event];
      const read = readSmf(Uint8Array.from([...header, ...track])).tracks[0]![0]! as unknown as Record<string, number>;
      expect(read.channel).toBe(message.channel - 1);
      if (message.kind === 'controlChange')
        expect([read.controllerType, read.value]).toEqual([message.controller, message.value]);
      if (message.kind === 'pitchBend') expect(read.value).toBe(message.value - 8192);
      if (message.kind === 'programChange') expect(read.programNumber).toBe(message.program);
      if ('note' in message) expect(read.noteNumber).toBe(message.note);
    }),
  );
});

test('another library writes the same bytes for every kind of message', () => {
  const theirs = (message: MidiMessage): number[] => {
    const { MIDI } = JZZ;
    switch (message.kind) {
      case 'noteOn':
        return [...MIDI.noteOn(message.channel - 1, message.note, message.velocity)];
      case 'noteOff':
        return [...MIDI.noteOff(message.channel - 1, message.note, message.velocity)];
      case 'polyPressure':
        return [...MIDI.aftertouch(message.channel - 1, message.note, message.pressure)];
      case 'controlChange':
        return [...MIDI.control(message.channel - 1, message.controller, message.value)];
      case 'programChange':
        return [...MIDI.program(message.channel - 1, message.program)];
      case 'channelPressure':
        return [...MIDI.pressure(message.channel - 1, message.pressure)];
      case 'pitchBend':
        return [...MIDI.pitchBend(message.channel - 1, message.value)];
      case 'songPosition':
        return [...MIDI.songPosition(message.sixteenths)];
      case 'songSelect':
        return [...MIDI.songSelect(message.song)];
      case 'sysex':
        return [...MIDI([0xf0, ...message.data, 0xf7])];
      case 'quarterFrame':
        return [...MIDI([0xf1, message.piece * 16 + message.nibble])];
      case 'tuneRequest':
        return [...MIDI.tune()];
      case 'activeSensing':
        return [...MIDI.active()];
      default:
        return [...MIDI[message.kind]()];
    }
  };
  fc.assert(fc.property(anyMessage, (message) => expect([...encodeMidi(message)]).toEqual(theirs(message))));
});
