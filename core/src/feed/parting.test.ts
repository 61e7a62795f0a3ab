import { partingMessages } from './parting';

const settings = { offsetMs: 0, clockWhileStopped: false };
const sends = { clock: true, transport: false, position: false, timecode: null };

test('the parting messages stop each kind of sync that a wire carries', () => {
  // MIDI 1.0: FC. MMC, RP-013: F0 7F 7F 06 01 F7. Full frame, RP-004/008: F0 7F 7F 01 01 hr mn sc fr F7, 25 fps is 01 in hr.
  const all = { ...sends, transport: true, mmc: true, timecode: '25' as const };
  expect(partingMessages({ ...settings, sends: all }, 3_723_400).map((bytes) => [...bytes])).toEqual([
    [0xfc],
    [0xf0, 0x7f, 0x7f, 6, 1, 0xf7],
    [0xf0, 0x7f, 0x7f, 1, 1, 0x21, 2, 3, 10, 0xf7],
  ]);
  expect(partingMessages({ ...settings, sends }, 1000)).toEqual([]);
});
