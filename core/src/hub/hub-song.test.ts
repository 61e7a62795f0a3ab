import type { FeedSettings } from '../feed/feed-settings';
import { MidiParser } from '../midi/parser';
import { songMaps, type Section } from '../tempo/song';
import { Hub, type SongSettings } from './hub';

const settings: FeedSettings = {
  sends: { clock: true, transport: true, position: true, timecode: null },
  offsetMs: 0,
  clockWhileStopped: false,
};
const section = (name: string, bars: number, bpm: number, more: Partial<Section> = {}): Section => ({
  ...{ name, bars, bpm, toBpm: null, beatsPerBar: 4, beatUnit: 4 },
  ...more,
});

function play(song: SongSettings) {
  const hub = new Hub({ bpm: 100 });
  hub.setSong(song);
  hub.setFeeds([{ id: 'a', portId: 'a', settings }]);
  const heard: { kind: string; atMs: number }[] = [];
  let nowMs = 0;
  const run = (ms: number) => {
    for (const until = nowMs + ms; nowMs < until; nowMs += 10)
      for (const { bytes, atMs } of hub.advance(nowMs, 60))
        for (const { message } of new MidiParser().push(bytes, atMs)) heard.push({ kind: message.kind, atMs });
  };
  const ticks = () => heard.filter(({ kind }) => kind === 'clock').map(({ atMs }) => atMs);
  return { hub, run, ticks, heard };
}

test('an intro at 71.5 BPM and the song at 79.3: each tick falls where the map says', () => {
  const { tempo, meter } = songMaps([section('Intro', 1, 71.5), section('Song', 4, 79.3)]);
  const { hub, run, ticks } = play({ tempo, meter });
  run(100);
  hub.command({ kind: 'play' });
  run(8000);
  const [first = 0] = ticks();
  // Plain arithmetic: a quarter is 839.161 ms at 71.5 BPM, 756.620 ms at 79.3 BPM.
  expect(ticks()[96]! - first).toBeCloseTo(4 * 839.161, 2);
  expect(ticks()[120]! - ticks()[96]!).toBeCloseTo(756.62, 2);
});

test.each<[NonNullable<SongSettings['afterStop']>, number]>([
  ['stay', 9],
  ['toStart', 0],
  ['toWherePlayBegan', 8],
])('after a stop, the position follows the song’s setting: %s', (afterStop, beat) => {
  const { hub, run } = play({ afterStop, tempo: [{ beat: 0, bpm: 120 }] });
  hub.command({ kind: 'locate', beat: 8 });
  run(200);
  hub.command({ kind: 'play' });
  run(700);
  hub.command({ kind: 'stop' });
  run(500);
  const at = hub.snapshot().beat;
  if (afterStop === 'stay') expect(at).toBeGreaterThan(beat - 0.2);
  else expect(at).toBe(beat);
});

test('a count-in lasts the set number of bars in the current time signature', () => {
  const { tempo, meter } = songMaps([section('Waltz', 8, 120, { beatsPerBar: 3 })]);
  const { hub, run, heard } = play({ tempo, meter, countInBars: 2 });
  run(100);
  hub.command({ kind: 'play', countIn: true });
  run(1000);
  expect(hub.snapshot().state).toBe('countingIn');
  run(3000);
  expect(hub.snapshot().state).toBe('rolling');
  // Two bars of three quarters at 120 BPM are 3 s; gear that plays on any clock receives none before.
  const start = heard.find(({ kind }) => kind === 'start')!;
  expect(start.atMs).toBeGreaterThan(3000);
  expect(heard[0]!.kind).toBe('songPosition');
});

test('changing the tempo map while rolling keeps the position and loses no tick', () => {
  const { hub, run, ticks } = play({ tempo: [{ beat: 0, bpm: 120 }] });
  hub.command({ kind: 'play' });
  run(2000);
  const before = hub.snapshot().beat;
  hub.setSong({ tempo: [{ beat: 0, bpm: 60 }] });
  run(2000);
  const { beat, bpm } = hub.snapshot();
  expect(bpm).toBe(60);
  expect(beat - before).toBeGreaterThan(1.9);
  expect(beat - before).toBeLessThan(2.3);
  const gaps = ticks()
    .slice(1)
    .map((ms, i) => ms - ticks()[i]!);
  expect(Math.max(...gaps)).toBeLessThan(1000 / 24 + 0.001);
  expect(Math.min(...gaps)).toBeGreaterThan(500 / 24 - 0.001);
});

test('identical settings change nothing; invalid ones are rejected as a whole', () => {
  const { hub, run } = play({ tempo: [{ beat: 0, bpm: 120 }] });
  hub.command({ kind: 'play' });
  run(1000);
  const { messages } = hub.snapshot();
  hub.setSong({ tempo: [{ beat: 0, bpm: 120 }], meter: [{ bar: 1, beatsPerBar: 4, beatUnit: 4 }] });
  expect(hub.snapshot().messages).toBe(messages);
  expect(() => hub.setSong({ countInBars: 17 })).toThrow(RangeError);
  expect(() => hub.setSong({ tempo: [] })).toThrow(RangeError);
  expect(hub.snapshot()).toMatchObject({ state: 'rolling', bpm: 120 });
});
