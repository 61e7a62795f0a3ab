import { boathouse } from './boathouse';
import { checkRig } from './rig-schema';
import { startExists, withExistingStart } from './start-timecode';
import { readRigFile, writeRigFile } from '../files/rig-file';
import { songTimecode } from '../studio/song-facts';
import type { Rig } from './records';

const at = (frames: number, minutes: number, rate: Rig['song']['rate']): Rig => {
  const rig = boathouse();
  return { ...rig, song: { ...rig.song, rate, timecodeStart: { hours: 0, minutes, seconds: 0, frames } } };
};

// SMPTE ST 12-1: drop-frame skips numbers 00 and 01 of every minute that isn't a multiple of ten (from memory).
test.each([
  [at(29, 0, '25'), 'Start timecode 00:00:00:29 doesn’t exist at 25 fps. Changed to 00:00:00:24.'],
  [at(0, 59, '29.97df'), 'Start timecode 00:59:00;00 doesn’t exist at 29.97 fps drop-frame. Changed to 00:59:00;02.'],
])('a start timecode that doesn’t exist is refused by the schema, repaired, and the repair is said', (rig, said) => {
  expect(() => checkRig(rig)).toThrow('doesn’t exist');
  expect(withExistingStart(rig)?.note).toBe(said);
  const { rig: opened, notes } = readRigFile(writeRigFile(rig));
  expect(notes).toEqual([said]);
  expect(startExists(opened.song)).toBe(true);
  expect(songTimecode(opened.song, 0)).toMatch(/:(24|02)$|;02$/);
});

test('a start timecode that exists stays', () => {
  expect(withExistingStart(at(29, 0, '30'))).toBeNull();
  expect(() => checkRig(at(0, 10, '29.97df'))).not.toThrow();
});
