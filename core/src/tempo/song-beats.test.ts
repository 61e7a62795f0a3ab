import { TempoMap } from './tempo-map';
import { beatTimes, songBeats } from './song-beats';

const section = (name: string, bars: number, bpm: number, toBpm: number | null = null) => ({
  ...{ name, bars, bpm, toBpm, beatsPerBar: 4, beatUnit: 4 },
});

test('a recording from bar 3 of a song: beats by its tempo map, sections by their first beat', () => {
  const song = [section('Verse', 4, 120), section('Chorus', 2, 60)];
  const { beatsMs, sections } = songBeats(song, { firstBar: 3, firstBeatMs: 250, lengthMs: 60_000 });
  // Two bars of quarter notes at 120 BPM, then two at 60: half a second and a second each.
  expect(beatsMs).toHaveLength(16);
  expect(beatsMs.slice(0, 3)).toEqual([250, 750, 1250]);
  expect(beatsMs[8]).toBeCloseTo(4250, 6);
  expect(beatsMs[9]).toBeCloseTo(5250, 6);
  expect(sections).toEqual([
    { name: 'Verse', fromPulse: -8 },
    { name: 'Chorus', fromPulse: 8 },
  ]);
});

test('beats end with the recording or with the song, whichever is first', () => {
  const song = [section('Verse', 4, 120)];
  expect(songBeats(song, { firstBar: 1, firstBeatMs: 0, lengthMs: 1200 }).beatsMs).toEqual([0, 500, 1000]);
  expect(songBeats(song, { firstBar: 4, firstBeatMs: 0, lengthMs: 1e6 }).beatsMs).toHaveLength(4);
  expect(() => songBeats(song, { firstBar: 5, firstBeatMs: 0, lengthMs: 1e6 })).toThrow(/ends before bar 5/);
  expect(() => songBeats([], { firstBar: 1, firstBeatMs: 0, lengthMs: 1 })).toThrow(/no sections/);
  expect(beatTimes(new TempoMap([{ beat: 0, bpm: 60 }]), { firstBeatMs: 10, lengthMs: 2500 })).toEqual([
    10, 1010, 2010,
  ]);
});
