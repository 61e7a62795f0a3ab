import fc from 'fast-check';
import JZZ from 'jzz';
import { framesToPosition, framesToSeconds, positionToFrames } from './code-position';
import { framesPerDay, framesToTimecode, timecodeToFrames, type FrameRate } from './timecode';
import { fullFrame, quarterFrameNumber, quarterFrames, readFullFrame, readQuarterFrames } from './timecode-messages';

const RATES: FrameRate[] = ['24', '25', '29.97df', '30'];
const anyFrame = fc
  .constantFrom(...RATES)
  .chain((rate) => fc.record({ rate: fc.constant(rate), frame: fc.nat(framesPerDay(rate) - 1) }));

test('the bytes match MIDI Time Code (RP-004/008, recalled, not copied from the page)', () => {
  const code = { hours: 1, minutes: 2, seconds: 3, frames: 4 };
  expect([...fullFrame(code, '25')]).toEqual([0xf0, 0x7f, 0x7f, 0x01, 0x01, 0x21, 2, 3, 4, 0xf7]);
  expect(quarterFrames({ hours: 23, minutes: 59, seconds: 58, frames: 29 }, '30').map(([, data]) => data)).toEqual([
    0x0d, 0x11, 0x2a, 0x33, 0x4b, 0x53, 0x67, 0x77,
  ]);
});

test('a second library sends the same bytes for any code of any rate', () => {
  fc.assert(
    fc.property(anyFrame, ({ rate, frame }) => {
      const code = framesToTimecode(frame, rate);
      const { hours, minutes, seconds, frames } = code;
      const theirs = JZZ.SMPTE(rate === '29.97df' ? 29.97 : Number(rate), hours, minutes, seconds, frames);
      expect([...fullFrame(code, rate)]).toEqual([...JZZ.MIDI.sxFullFrame(theirs)]);
    }),
  );
});

test('the second library reads our quarter frames, and knows the code after all eight', () => {
  fc.assert(
    fc.property(anyFrame, ({ rate, frame: any }) => {
      const frame = any - (any % 2); // Codes are sent for every second frame.
      const reader = JZZ.SMPTE(rate === '29.97df' ? 29.97 : Number(rate), 0, 0, 0, 0);
      const code = framesToTimecode(frame, rate);
      for (const bytes of quarterFrames(code, rate)) reader.read(JZZ.MIDI([...bytes]));
      // It reports a code when the next one begins, two frames later.
      const ahead = framesToTimecode(frame + 2, rate);
      reader.read(JZZ.MIDI([...quarterFrames(ahead, rate)[0]!]));
      expect([reader.getHour(), reader.getMinute(), reader.getSecond(), reader.getFrame()]).toEqual([
        ahead.hours,
        ahead.minutes,
        ahead.seconds,
        ahead.frames,
      ]);
    }),
  );
});

test('quarter frames, full frames and machine control positions survive a round trip', () => {
  fc.assert(
    fc.property(anyFrame, fc.nat(99), ({ rate, frame }, subframes) => {
      const timecode = framesToTimecode(frame, rate);
      expect(readQuarterFrames(quarterFrames(timecode, rate).map(([, data]) => data! & 0x0f))).toEqual({
        timecode,
        rate,
      });
      expect(readFullFrame(fullFrame(timecode, rate).slice(1, -1))).toEqual({ timecode, rate });
      const position = framesToPosition(frame + subframes / 100, rate);
      expect(position.subframes).toBe(subframes);
      expect(positionToFrames(position)!.frames).toBeCloseTo(frame + subframes / 100, 6);
    }),
  );
});

test('an endless row spells the code of every second frame, up and down', () => {
  const row = Array.from({ length: 8 }, (_, piece) => quarterFrameNumber(8 * 899 + piece, '29.97df'));
  expect(row.map(({ piece }) => piece)).toEqual([0, 1, 2, 3, 4, 5, 6, 7]);
  // Frame 1798 is the last but one of the first minute; 1800 is 00:01:00;02.
  expect(readQuarterFrames(row.map(({ nibble }) => nibble))!.timecode).toMatchObject({ seconds: 59, frames: 28 });
  expect(
    readQuarterFrames(row.map((_, piece) => quarterFrameNumber(8 * 900 + piece, '29.97df').nibble))!.timecode,
  ).toEqual({ hours: 0, minutes: 1, seconds: 0, frames: 2 });
  expect(quarterFrameNumber(-1, '25')).toEqual({ kind: 'quarterFrame', piece: 7, nibble: 3 });
});

test('after 24 hours of counting, drop-frame is 86.4 ms behind wall-clock time (SMPTE ST 12-1)', () => {
  expect(86_400 - framesToSeconds(framesPerDay('29.97df'), '29.97df')).toBeCloseTo(0.0864, 9);
});

test('an invalid code is rejected', () => {
  expect(readFullFrame(Uint8Array.of(0x7f, 0x7f, 1, 1, 0x20, 60, 0, 0))).toBeNull();
  expect(readFullFrame(Uint8Array.of(0x7e, 0x7f, 1, 1, 0x20, 0, 0, 0))).toBeNull();
  expect(readQuarterFrames([0, 0, 0, 0, 1, 0, 0, 4])).toBeNull(); // 00:01:00;00 is dropped.
  expect(() => fullFrame({ hours: 0, minutes: 1, seconds: 0, frames: 0 }, '29.97df')).toThrow(/exist in drop-frame/);
  expect(timecodeToFrames({ hours: 0, minutes: 0, seconds: 0, frames: 0 }, '24')).toBe(0);
});
