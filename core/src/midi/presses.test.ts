import { encodeMidi } from './encode-midi';
import type { MidiMessage } from './message';
import { encodeMmc } from './mmc';
import { Presses } from './presses';

const pressed = (...messages: MidiMessage[]) => {
  const presses = new Presses();
  return messages.flatMap((message, i) => presses.receive('in', encodeMidi(message), i));
};
const pedal = (value: number): MidiMessage => ({ kind: 'controlChange', channel: 1, controller: 64, value });
const downs = (...values: number[]) => pressed(...values.map(pedal)).map(({ down }) => down);

test('a key goes down and up; a note-on of velocity 0 is a note-off (MIDI 1.0)', () => {
  const on: MidiMessage = { kind: 'noteOn', channel: 2, note: 36, velocity: 90 };
  expect(pressed(on, { ...on, velocity: 0 }, on, { ...on, kind: 'noteOff' })).toEqual(
    [true, false, true, false].map((down) => ({ signal: { kind: 'note', channel: 2, note: 36 }, down })),
  );
});

test('a controller is down from 64 on (MIDI 1.0), however finely it is turned', () => {
  expect(downs(127, 0)).toEqual([true, false]);
  expect(downs(10, 40, 63, 64, 80, 127, 90, 63, 0)).toEqual([true, false]);
});

test('a pedal that only ever sends its full value is pressed each time', () => {
  expect(downs(127, 127, 127)).toEqual([true, true, true]);
});

test('program changes, transport and machine control are pressed, and never let go of', () => {
  expect(
    pressed(
      { kind: 'programChange', channel: 1, program: 5 },
      { kind: 'start' },
      { kind: 'clock' },
      encodeMmc({ kind: 'rewind' }),
    ),
  ).toEqual([
    { signal: { kind: 'program', channel: 1, program: 5 }, down: true },
    { signal: { kind: 'transport', message: 'start' }, down: true },
    { signal: { kind: 'machine', command: 'rewind' }, down: true },
  ]);
});

test('ports are read apart: half a message on one, and a whole one on another', () => {
  const presses = new Presses();
  expect(presses.receive('a', Uint8Array.of(0x90, 60), 0)).toEqual([]);
  expect(presses.receive('b', Uint8Array.of(0xb0, 64, 127), 0)).toHaveLength(1);
  expect(presses.receive('a', Uint8Array.of(100), 0)).toHaveLength(1);
});
