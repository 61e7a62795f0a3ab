import fc from 'fast-check';
import { decodeMmc, encodeMmc, type MmcCommand } from './mmc';

// Byte values: MIDI Machine Control, RP-013, recalled, not copied from the page.
test.each([
  ['stop', 0x01],
  ['play', 0x02],
  ['deferredPlay', 0x03],
  ['fastForward', 0x04],
  ['rewind', 0x05],
  ['recordStrobe', 0x06],
  ['recordExit', 0x07],
  ['pause', 0x09],
] as const)('%s is command %i, to all devices by default', (kind, number) => {
  expect([...encodeMmc({ kind }).data]).toEqual([0x7f, 0x7f, 0x06, number]);
  expect(decodeMmc(Uint8Array.of(0x7f, 3, 0x06, number))).toEqual({ device: 3, commands: [{ kind }] });
});

test('locate carries rate, code and subframes', () => {
  const position = { rateCode: 1, hours: 1, minutes: 2, seconds: 3, frames: 4, subframes: 50 };
  const { data } = encodeMmc({ kind: 'locate', position }, 5);
  expect([...data]).toEqual([0x7f, 5, 0x06, 0x44, 0x06, 0x01, 0x21, 2, 3, 4, 50]);
  expect(decodeMmc(data)).toEqual({ device: 5, commands: [{ kind: 'locate', position }] });
});

test('several commands in one message are read in order; an unsupported one is named', () => {
  const data = Uint8Array.of(0x7f, 0x7f, 0x06, 0x01, 0x47, 3, 1, 2, 3, 0x7c, 0x02);
  expect(decodeMmc(data).commands).toEqual([
    { kind: 'stop' },
    { kind: 'unknown', command: 0x47 },
    { kind: 'unknown', command: 0x7c },
    { kind: 'play' },
  ]);
});

test('truncated, out-of-range or other data gives no command and never throws', () => {
  expect(decodeMmc(Uint8Array.of(0x7f, 0x7f, 0x06, 0x44, 0x06, 0x01, 0x21)).commands).toEqual([]);
  const badHour: MmcCommand[] = [{ kind: 'unknown', command: 0x44 }];
  expect(decodeMmc(Uint8Array.of(0x7f, 0x7f, 0x06, 0x44, 0x06, 0x01, 0x1f, 0, 0, 0, 0)).commands).toEqual(badHour);
  expect(decodeMmc(Uint8Array.of(0x7e, 0x7f, 0x06, 0x01)).commands).toEqual([]);
  fc.assert(
    fc.property(fc.uint8Array({ max: 127, maxLength: 40 }), (bytes) => {
      expect(decodeMmc(Uint8Array.of(0x7f, 0x7f, 0x06, ...bytes)).commands.length).toBeLessThanOrEqual(bytes.length);
    }),
  );
  expect(() => encodeMmc({ kind: 'stop' }, 128)).toThrow(/device must be .* 0 to 127/);
});
