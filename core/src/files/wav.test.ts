import fc from 'fast-check';
import { WaveFile } from 'wavefile';
import { readWav, WavError, writeWav } from './wav';

const twoChannels = [Float32Array.of(0, 0.5, -0.5, 0.999), Float32Array.of(-1, 0.25, 0.125, 0)];

test.each([
  [16 as const, '16', 2 ** -15],
  [24 as const, '24', 2 ** -23],
  ['float32' as const, '32f', 1e-9],
])('a second library reads our files (%s bits), and we read its files', (bits, theirs, step) => {
  const other = new WaveFile();
  other.fromBuffer(writeWav(twoChannels, 48_000, bits));
  expect(other.bitDepth).toBe(theirs);
  other.toBitDepth('32f');
  const samples = other.getSamples(false) as unknown as Float64Array[];
  twoChannels.forEach((channel, c) =>
    channel.forEach((value, i) => expect(Math.abs(samples[c]![i]! - value)).toBeLessThan(2 * step)),
  );

  const made = new WaveFile();
  const scaled = twoChannels.map((channel) =>
    [...channel].map((v) => (bits === 'float32' ? v : Math.round(v * (2 ** (bits - 1) - 1)))),
  );
  made.fromScratch(2, 44_100, theirs, scaled);
  const read = readWav(made.toBuffer());
  expect(read.sampleRate).toBe(44_100);
  read.channels.forEach((channel, c) =>
    channel.forEach((value, i) => expect(Math.abs(value - twoChannels[c]![i]!)).toBeLessThan(3 * step)),
  );
});

test('float survives a round trip losslessly', () => {
  fc.assert(
    fc.property(fc.float32Array({ min: -1, max: 1, noNaN: true, maxLength: 60 }), (samples) => {
      expect(readWav(writeWav([samples], 48_000, 'float32')).channels[0]).toEqual(samples);
    }),
  );
});

/** EBU Tech 3306: "RF64", lengths of all ones, and the true ones in a ds64 chunk at byte 12. */
test('RF64 is read, with its 64-bit length, and however long the notes before the audio are', () => {
  const plain = writeWav(twoChannels, 48_000);
  const ds64 = new Uint8Array(8 + 28);
  const lengths = new DataView(ds64.buffer);
  ds64.set([...'ds64'].map((letter) => letter.charCodeAt(0)));
  lengths.setUint32(4, 28, true);
  lengths.setBigUint64(16, BigInt(plain.length - 44), true);
  const junk = new Uint8Array(8 + 200_000);
  junk.set([...'JUNK'].map((letter) => letter.charCodeAt(0)));
  new DataView(junk.buffer).setUint32(4, 200_000, true);
  const tail = plain.slice(12);
  new DataView(tail.buffer).setUint32(28, 0xffffffff, true);
  const long = Uint8Array.from([...plain.subarray(0, 12), ...ds64, ...junk, ...tail, ...[1, 2, 3]]);
  long.set([...'RF64'].map((letter) => letter.charCodeAt(0)));
  expect(readWav(long)).toEqual(readWav(plain));
});

test('every kind of damage is reported with its byte, and only WavError is thrown', () => {
  const good = writeWav(twoChannels, 48_000);
  const spoiled = (at: number, ...values: number[]) => {
    const bytes = good.slice();
    bytes.set(values, at);
    return bytes;
  };
  expect(() => readWav(new Uint8Array(0))).toThrow(/isn’t a WAV file/);
  expect(() => readWav(spoiled(0, 0x4f))).toThrow(/isn’t a WAV file.*byte 0/);
  expect(() => readWav(spoiled(20, 85))).toThrow(/format 85/);
  expect(() => readWav(spoiled(22, 0, 0))).toThrow(/1 to 64 are supported/);
  expect(() => readWav(spoiled(24, 1, 0, 0, 0))).toThrow(/Sample rate/);
  expect(() => readWav(good.slice(0, 50))).toThrow(/truncated: 6 of 24 bytes found/);
  expect(() => readWav(good.slice(0, 36))).toThrow(/no data chunk/);
  fc.assert(
    fc.property(fc.nat(good.length - 1), fc.nat(255), fc.nat(good.length), (at, value, length) => {
      try {
        readWav(spoiled(at, value).slice(0, length));
      } catch (error) {
        expect(error).toBeInstanceOf(WavError);
      }
    }),
    { numRuns: 1000 },
  );
});
