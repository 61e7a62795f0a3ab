import { encodeMidi, encodeMmc, type MidiMessage } from '@metronomo/core';
import { midiWords } from './midi-words';

test.each<[string, number[]]>([
  ['F8 clock', [0xf8]],
  ['FA start', [0xfa]],
  ['FB continue', [0xfb]],
  ['FC stop', [0xfc]],
  ['F2 song position 68', [0xf2, 68, 0]],
  ['F3 song select 4', [0xf3, 4]],
  ['F6 tune request', [0xf6]],
  ['FE active sensing', [0xfe]],
  ['F1 MTC quarter frame 2, value 14', [0xf1, 0x2e]],
  ['90 note on 60, velocity 100, channel 1', [0x90, 60, 100]],
  ['89 note off 62, velocity 64, channel 10', [0x89, 62, 64]],
  ['B4 CC 20 = 7, channel 5', [0xb4, 20, 7]],
  ['C2 program change 9, channel 3', [0xc2, 9]],
  ['E0 pitch bend 0, channel 1', [0xe0, 0, 64]],
  ['D0 aftertouch 33, channel 1', [0xd0, 33]],
  ['A0 poly aftertouch 60, 33, channel 1', [0xa0, 60, 33]],
  ['F0 7F 7F 01 01 21 00 00 ... MTC full frame', [0xf0, 0x7f, 0x7f, 1, 1, 0x21, 0, 0, 0, 0xf7]],
  ['F0 7E 7F 06 01 F7 identity request', [0xf0, 0x7e, 0x7f, 6, 1, 0xf7]],
  ['F0 7D 01 02 F7 SysEx, 3 bytes', [0xf0, 0x7d, 1, 2, 0xf7]],
  ['90 incomplete message', [0x90, 60]],
])('%s', (words, bytes) => expect(midiWords(Uint8Array.from(bytes))).toBe(words));

test('machine control is named', () => {
  const bytes = encodeMidi(encodeMmc({ kind: 'play' }) as MidiMessage);
  expect(midiWords(bytes)).toMatch(/MMC play$/);
});
