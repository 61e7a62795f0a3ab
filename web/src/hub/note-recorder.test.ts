import type { GridPosition } from '@metronomo/core';
import { NoteRecorder } from './note-recorder';

const grid = (beat: number, state: GridPosition['state'] = 'rolling'): GridPosition => ({
  beat,
  songMs: beat * 500,
  bpm: 120,
  state,
});

test('notes are kept with their place in the song; clock and what is played while stopped are not', () => {
  const recorder = new NoteRecorder();
  recorder.receive('keys', Uint8Array.of(0x90, 60, 90), 0, grid(0));
  expect(recorder.record(true)).toEqual([]);
  recorder.receive('keys', Uint8Array.of(0x90, 60, 90), 1, grid(0, 'stopped'));
  recorder.receive('keys', Uint8Array.of(0xf8), 2, grid(1));
  recorder.receive('keys', Uint8Array.of(0x90, 64), 3, grid(2));
  recorder.receive('pads', Uint8Array.of(0x99, 36, 100), 3, grid(2));
  recorder.receive('keys', Uint8Array.of(80), 4, grid(2.5));
  recorder.follow(grid(3));
  const kept = recorder.record(false).map(({ portId, beat, bytes }) => [portId, beat, [...bytes]]);
  expect(kept).toEqual([
    ['pads', 2, [0x99, 36, 100]],
    ['keys', 2.5, [0x90, 64, 80]],
    ['pads', 3, [0x89, 36, 64]],
    ['keys', 3, [0x80, 64, 64]],
  ]);
  expect(recorder.record(false)).toEqual([]);
});

test('a note held at a stop ends where the song stopped, once only', () => {
  const recorder = new NoteRecorder();
  recorder.record(true);
  recorder.follow(grid(0.99));
  recorder.receive('keys', Uint8Array.of(0x90, 60, 90), 1, grid(1));
  recorder.follow(grid(3.5));
  recorder.follow(grid(0, 'stopped'));
  recorder.receive('keys', Uint8Array.of(0x80, 60, 64), 9, grid(0, 'stopped'));
  const kept = recorder.record(false).map(({ beat, bytes }) => [beat, bytes[0], bytes[1]]);
  expect(kept).toEqual([
    [1, 0x90, 60],
    [3.5, 0x80, 60],
  ]);
});

test.each([
  ['the recording ends', (recorder: NoteRecorder) => recorder.follow(grid(4.5))],
  [
    'the song jumps back',
    (recorder: NoteRecorder) => {
      recorder.follow(grid(4.5));
      recorder.follow(grid(0));
    },
  ],
])('a note held when %s ends there; one that was released before doesn’t end twice', (_, happen) => {
  const recorder = new NoteRecorder();
  recorder.record(true);
  for (const [beat, note, velocity] of [
    [1, 60, 90],
    [2, 64, 90],
    [3, 64, 0],
  ] as const)
    recorder.receive('keys', Uint8Array.of(0x90, note, velocity), beat, grid(beat));
  happen(recorder);
  const last = recorder.record(false).slice(3);
  expect(last.map(({ beat, bytes }) => [beat, ...bytes])).toEqual([[4.5, 0x80, 60, 64]]);
});
