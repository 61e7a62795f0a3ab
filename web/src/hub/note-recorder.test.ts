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
  const kept = recorder.record(false).map(({ portId, beat, bytes }) => [portId, beat, [...bytes]]);
  expect(kept).toEqual([
    ['pads', 2, [0x99, 36, 100]],
    ['keys', 2.5, [0x90, 64, 80]],
  ]);
  expect(recorder.record(false)).toEqual([]);
});
