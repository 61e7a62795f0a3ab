import { MidiParser } from '../midi/parser';
import { Hub } from './hub';
import type { Outgoing } from './outgoing';

const CLOCK = { clock: true, transport: true, position: true, timecode: null };
const feed = (id: string) => ({
  id,
  portId: `port-${id}`,
  settings: { sends: CLOCK, offsetMs: 0, clockWhileStopped: false },
});

function run(hub: Hub, fromMs: number, toMs: number): Outgoing[] {
  const out: Outgoing[] = [];
  for (let nowMs = fromMs; nowMs < toMs; nowMs += 10) out.push(...hub.advance(nowMs, 60));
  return out;
}
const heard = (out: Outgoing[], feedId: string) => {
  const parser = new MidiParser();
  return out
    .filter((one) => one.feedId === feedId)
    .flatMap(({ bytes, atMs }) => parser.push(bytes, atMs).map(({ message }) => ({ ...message, atMs })));
};

/** Two hubs: the first one is lost at 3 s, and the second goes on at 3.5 s. */
function afterALoss(bpm: number, countIn = false) {
  const lost = new Hub({ bpm });
  lost.setFeeds([feed('a')]);
  run(lost, 0, 100);
  lost.command({ kind: 'play', countIn });
  run(lost, 100, 3000);
  const { leader, bpm: lastBpm, beat, songMs } = lost.snapshot();
  const hub = new Hub({ bpm });
  hub.setFeeds([feed('a')]);
  hub.advance(3500, 60);
  hub.command({ kind: 'resume', rolled: { beat, songMs, atMs: 2990, bpm: lastBpm, leader } });
  const out = run(hub, 3510, 6000);
  return { lost, hub, out };
}

test('a hub that goes on for a lost one keeps its grid; followers are stopped and continued at a sixteenth', () => {
  const { lost, hub, out } = afterALoss(97);
  expect(hub.beatAt(5000)).toBeCloseTo(lost.beatAt(5000), 6);
  const said = heard(out, 'a').filter(({ kind }) => kind !== 'clock');
  expect(said.map(({ kind }) => kind)).toEqual(['stop', 'songPosition', 'continue']);
  const first = heard(out, 'a').find(({ kind }) => kind === 'clock');
  expect(said[1]).toMatchObject({ sixteenths: Math.round(lost.beatAt(first!.atMs) * 4) });
  expect(first!.atMs - 3500).toBeLessThan(60_000 / 97 / 4 + 150);
});

test('a count-in that was under way isn’t repeated: the song begins when it would have', () => {
  const { lost, hub } = afterALoss(120, true);
  expect(lost.snapshot().state).toBe('countingIn');
  expect(hub.snapshot()).toMatchObject({ state: 'rolling' });
  expect(hub.beatAt(5900)).toBeCloseTo(lost.beatAt(5900), 6);
});

test('a hub that goes on for a stopped one stops everyone, as nobody knows what they missed', () => {
  const hub = new Hub({ bpm: 120 });
  hub.setFeeds([feed('a'), feed('b')]);
  hub.advance(0, 60);
  hub.command({ kind: 'resume', rolled: null });
  const out = run(hub, 10, 500);
  expect(out.map(({ feedId, bytes }) => [feedId, bytes[0]])).toEqual([
    ['a', 0xfc],
    ['b', 0xfc],
  ]);
});

test('a note that a trigger struck at a stop is let go of, even if the hub was lost just then', () => {
  const hub = new Hub({ bpm: 120 });
  const struck = { kind: 'note' as const, channel: 3, note: 50, velocity: 90 };
  const triggers = [{ every: 1, sends: { ...struck, note: 40 }, atStop: [struck] }];
  hub.setFeeds([{ ...feed('a'), settings: { ...feed('a').settings, triggers } }]);
  hub.advance(0, 60);
  hub.command({ kind: 'resume', rolled: null });
  const notes = heard(run(hub, 10, 500), 'a').flatMap((one) =>
    one.kind === 'noteOn' || one.kind === 'noteOff' ? [`${one.kind} ${one.note}`] : [],
  );
  // Then its own at this stop.
  expect(notes).toEqual(['noteOff 40', 'noteOff 50', 'noteOn 50', 'noteOff 50']);
});

test('a soloed feed is the only one heard; the others rejoin in step, except those muted meanwhile', () => {
  const hub = new Hub({ bpm: 120 });
  hub.setFeeds([feed('a'), feed('b'), feed('c')]);
  run(hub, 0, 100);
  hub.command({ kind: 'play' });
  run(hub, 100, 1000);
  hub.command({ kind: 'solo', feedIds: ['a'] });
  const alone = run(hub, 1000, 3000);
  expect(heard(alone, 'a').length).toBeGreaterThan(90);
  for (const id of ['b', 'c']) expect(heard(alone, id).map(({ kind }) => kind)).toEqual(['stop']);
  hub.command({ kind: 'mute', feedId: 'c', muted: true });
  hub.setFeeds([feed('a'), feed('b'), feed('c'), feed('d')]);
  expect(heard(run(hub, 3000, 3500), 'd')).toEqual([]);
  hub.command({ kind: 'solo', feedIds: null });
  const after = run(hub, 3500, 5000);
  for (const id of ['b', 'd']) expect(heard(after, id).map(({ kind }) => kind)).toContain('continue');
  expect(heard(after, 'c')).toEqual([]);
  expect(hub.snapshot().muted).toEqual(['c']);
});

test.each([
  [4, 4, 8, 500],
  [3, 4, 6, 500],
  [6, 8, 12, 250],
  [7, 8, 14, 250],
])('the bars ahead in %i/%i have their beats where the hub plays them', (beatsPerBar, beatUnit, count, beatMs) => {
  const hub = new Hub({ bpm: 120 });
  hub.setSong({ meter: [{ bar: 1, beatsPerBar, beatUnit }] });
  hub.setFeeds([feed('a')]);
  run(hub, 0, 100);
  expect(hub.barsAhead(2, 1)).toBeNull();
  hub.command({ kind: 'play' });
  run(hub, 100, 1000);
  const ahead = hub.barsAhead(2, 1)!;
  expect(ahead.beatsMs).toHaveLength(count);
  ahead.beatsMs.forEach((ms, i) => expect(ms - ahead.beatsMs[0]!).toBeCloseTo(i * beatMs, 6));
  const barQuarters = (beatsPerBar * 4) / beatUnit;
  const bars = hub.beatAt(ahead.beatsMs[0]!) / barQuarters;
  expect(bars).toBeCloseTo(Math.round(bars), 6);
  expect(ahead.beatsMs[0]).toBeGreaterThan(1000 + beatsPerBar * beatMs);
  expect(ahead.barsMs.map((ms) => Math.round(ms - ahead.beatsMs[0]!))).toEqual(
    [0, 1, 2].map((bar) => bar * beatsPerBar * beatMs),
  );
  expect(ahead.bpm).toBeCloseTo(120, 9);
});

test('notes that a lost hub left on are ended', () => {
  const hub = new Hub({ bpm: 120 });
  const notes = { channel: 10, barNote: 60, beatNote: 62, velocity: 100 };
  const sends = { clock: false, transport: false, position: false, timecode: null };
  hub.setFeeds([{ ...feed('a'), settings: { sends, offsetMs: 0, clockWhileStopped: false, notes } }]);
  hub.advance(0, 60);
  hub.command({ kind: 'resume', rolled: null });
  const ended = heard(run(hub, 10, 500), 'a').map((one) => (one.kind === 'noteOff' ? one.note : one.kind));
  expect(ended).toEqual([60, 62]);
});

test('a grid that a lost leader left at its own tempo goes on at that tempo; timecode runs on', () => {
  const hub = new Hub({ bpm: 120 });
  hub.setFeeds([feed('a')]);
  hub.advance(3500, 60);
  hub.command({ kind: 'resume', rolled: { beat: 4, songMs: 2600, atMs: 3000, bpm: 97, leader: 'hub' } });
  run(hub, 3510, 6000);
  const { beat, songMs, bpm } = hub.gridAt(5000);
  expect(bpm).toBeCloseTo(97, 9);
  expect(beat).toBeCloseTo(4 + (2000 * 97) / 60_000, 9);
  expect(songMs).toBeCloseTo(4600, 6);
});
