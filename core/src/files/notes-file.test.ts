import { parseMidi } from 'midi-file';
import type { Section } from '../tempo/song';
import { writeNotesFile } from './tempo-file';

const section = (name: string, bars: number, bpm: number, beatsPerBar: number): Section => ({
  name,
  bars,
  bpm,
  toBpm: null,
  beatsPerBar,
  beatUnit: 4,
});

test('what was played lines up with the bars and the tempo of the song (read by another MIDI file library)', () => {
  const sections = [section('Intro', 2, 100, 3), section('Verse', 4, 140, 4)];
  const note = (beat: number, track: string, on = true) => ({
    beat,
    track,
    bytes: Uint8Array.of(on ? 0x90 : 0x80, 60, 100),
  });
  const file = writeNotesFile(sections, [note(6, 'Keys'), note(6.5, 'Keys', false), note(-1, 'Pads'), note(3, 'Pads')]);
  const { header, tracks } = parseMidi(file);
  expect([header.format, header.ticksPerBeat, tracks.length]).toEqual([1, 960, 2]);
  const timed = tracks.map((track) => {
    let tick = 0;
    return track.map((event) => ({ ...event, tick: (tick += event.deltaTime) }));
  });
  const tempo = timed[0]!.flatMap((one) => (one.type === 'setTempo' ? [[one.tick, one.microsecondsPerBeat]] : []));
  expect(tempo).toEqual([
    [0, 600_000],
    [6 * 960, 428_571],
  ]);
  const bars = timed[0]!.flatMap((one) => (one.type === 'timeSignature' ? [[one.tick, one.numerator]] : []));
  expect(bars).toEqual([
    [0, 3],
    [6 * 960, 4],
  ]);
  const notes = timed.map((track) => track.flatMap((one) => (one.type === 'noteOn' ? [one.tick] : [])));
  expect(notes).toEqual([[6 * 960], [0, 3 * 960]]);
});
