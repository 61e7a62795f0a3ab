import SmpteTimecode from 'smpte-timecode';
import {
  formatTimecode,
  framesPerDay,
  framesToTimecode,
  parseTimecode,
  secondsToFrames,
  timecodeToFrames,
} from './timecode';

// Values of SMPTE ST 12-1, recalled, not copied from the page; a second library confirms them below.
test('drop-frame skips 00 and 01 at each minute except every tenth', () => {
  expect(formatTimecode(framesToTimecode(1799, '29.97df'), '29.97df')).toBe('00:00:59;29');
  expect(formatTimecode(framesToTimecode(1800, '29.97df'), '29.97df')).toBe('00:01:00;02');
  expect(timecodeToFrames(parseTimecode('00:10:00;00', '29.97df'), '29.97df')).toBe(17_982);
  expect(timecodeToFrames(parseTimecode('01:00:00;00', '29.97df'), '29.97df')).toBe(107_892);
  expect(framesPerDay('29.97df')).toBe(2_589_408);
  expect(secondsToFrames(86_399.9136, '29.97df')).toBeCloseTo(2_589_408, 2);
});

test('every drop-frame code of a day survives a round trip, and a second library counts the same', () => {
  const day = framesPerDay('29.97df');
  let wrong = 0;
  for (let frame = 0; frame < day; frame++)
    if (timecodeToFrames(framesToTimecode(frame, '29.97df'), '29.97df') !== frame) wrong++;
  expect(wrong).toBe(0);
  // The other library is slow: every frame of the first twelve minutes, and a sample of every minute of the day.
  for (let frame = 0; frame < day; frame += frame < 22_000 ? 1 : 449) {
    const { hours, minutes, seconds, frames } = new SmpteTimecode(frame, 29.97, true);
    const code = framesToTimecode(frame, '29.97df');
    if (hours !== code.hours || minutes !== code.minutes || seconds !== code.seconds || frames !== code.frames) wrong++;
  }
  expect(wrong).toBe(0);
  expect(String(new SmpteTimecode(1800, 29.97, true))).toBe('00:01:00;02');
});

test('24, 25 and 30 fps survive a round trip, and a day wraps both ways', () => {
  for (const rate of ['24', '25', '30'] as const) {
    for (let frame = 0; frame < framesPerDay(rate); frame += 1009)
      expect(timecodeToFrames(framesToTimecode(frame, rate), rate)).toBe(frame);
    expect(framesToTimecode(framesPerDay(rate), rate)).toEqual({ hours: 0, minutes: 0, seconds: 0, frames: 0 });
    expect(framesToTimecode(-1, rate).frames).toBe(Number(rate) - 1);
  }
});

test('a code that doesn’t exist is rejected', () => {
  expect(() => timecodeToFrames({ hours: 0, minutes: 1, seconds: 0, frames: 0 }, '29.97df')).toThrow(
    'doesn’t exist in drop-frame',
  );
  expect(() => timecodeToFrames({ hours: 0, minutes: 0, seconds: 0, frames: 25 }, '25')).toThrow(
    'doesn’t exist at 25 fps',
  );
  expect(() => parseTimecode('soon', '25')).toThrow('Use the form');
});
