import type { FeedSettings } from '../feed/feed-settings';
import { MidiParser } from '../midi/parser';
import { Hub } from './hub';
import type { Outgoing } from './outgoing';
import { Lookahead } from './lookahead';

const settings = (change: Partial<FeedSettings> = {}): FeedSettings => ({
  sends: { clock: true, transport: true, position: true, timecode: null },
  offsetMs: 0,
  clockWhileStopped: false,
  ...change,
});
const feed = (id: string, change: Partial<FeedSettings> = {}) => ({
  id,
  portId: `port-${id}`,
  settings: settings(change),
});

function run(hub: Hub, fromMs: number, toMs: number, stepMs = 10): Outgoing[] {
  const out: Outgoing[] = [];
  for (let nowMs = fromMs; nowMs < toMs; nowMs += stepMs) out.push(...hub.advance(nowMs, 60));
  return out;
}
const heard = (out: Outgoing[], feedId: string) =>
  out
    .filter((one) => one.feedId === feedId)
    .flatMap(({ bytes, atMs }) => new MidiParser().push(bytes, atMs).map(({ message }) => ({ ...message, atMs })));
const ticks = (out: Outgoing[], feedId: string) =>
  heard(out, feedId)
    .filter(({ kind }) => kind === 'clock')
    .map(({ atMs }) => atMs);

test('at play the grid waits for the earliest feed, and nothing is due before it is handed over', () => {
  const hub = new Hub({ bpm: 120 });
  hub.setFeeds([feed('a', { offsetMs: -36 }), feed('b')]);
  run(hub, 0, 100);
  hub.command({ kind: 'play' });
  const out: Outgoing[] = [];
  for (let nowMs = 100; nowMs < 1000; nowMs += 10)
    for (const one of hub.advance(nowMs, 60)) {
      expect(one.atMs).toBeGreaterThanOrEqual(nowMs);
      out.push(one);
    }
  expect(ticks(out, 'b')[0]! - ticks(out, 'a')[0]!).toBeCloseTo(36, 9);
  expect(hub.snapshot()).toMatchObject({ state: 'rolling', bpm: 120, preRollMs: 36 });
});

test('stop stays in place, play continues on the next sixteenth, locate goes to the top', () => {
  const hub = new Hub({ bpm: 120 });
  hub.setFeeds([feed('a')]);
  run(hub, 0, 50);
  hub.command({ kind: 'play' });
  run(hub, 50, 2000);
  hub.command({ kind: 'stop' });
  run(hub, 2000, 3000);
  const { beat, state } = hub.snapshot();
  expect(state).toBe('stopped');
  hub.command({ kind: 'play' });
  const again = heard(run(hub, 3000, 3500), 'a');
  expect(again.slice(0, 2)).toMatchObject([
    { kind: 'songPosition', sixteenths: Math.ceil(beat * 4) },
    { kind: 'continue' },
  ]);
  hub.command({ kind: 'locate', beat: 0 });
  const kinds = heard(run(hub, 3500, 4000), 'a').map(({ kind }) => kind);
  expect(kinds.filter((kind) => kind !== 'clock')).toEqual(['stop', 'songPosition', 'start']);
  expect(hub.snapshot().beat).toBeLessThan(1);
});

test('a tempo set by hand reaches every feed within the lookahead plus 20 ms, and loses no tick', () => {
  const hub = new Hub({ bpm: 100 });
  hub.setFeeds([feed('a'), feed('b', { offsetMs: 5 })]);
  run(hub, 0, 50);
  hub.command({ kind: 'play' });
  const before = run(hub, 50, 3000);
  hub.command({ kind: 'tempo', bpm: 140 });
  const all = [...before, ...run(hub, 3000, 6000)];
  for (const id of ['a', 'b']) {
    const times = ticks(all, id);
    const gaps = times.slice(1).map((ms, i) => ms - times[i]!);
    const changed = gaps.findIndex((gap) => gap < 60_000 / 100 / 24 - 0.01);
    expect(times[changed]!).toBeLessThan(3000 + 60 + 20);
    expect(gaps.slice(changed + 1).every((gap) => Math.abs(gap - 60_000 / 140 / 24) < 1e-6)).toBe(true);
  }
  expect(ticks(all, 'a').length).toBe(ticks(all, 'b').length);
});

test('play, stop and tempo in rapid succession leave a consistent state', () => {
  const hub = new Hub({ bpm: 100 });
  hub.setFeeds([feed('a')]);
  run(hub, 0, 50);
  for (const kind of ['play', 'stop', 'play', 'play'] as const) hub.command({ kind });
  hub.command({ kind: 'tempo', bpm: 200 });
  const out = run(hub, 50, 2050);
  const kinds = heard(out, 'a').map(({ kind }) => kind);
  expect(kinds.filter((kind) => kind === 'start' || kind === 'continue' || kind === 'stop')).toEqual([
    'start',
    'stop',
    'continue',
  ]);
  expect(ticks(out, 'a').length).toBeGreaterThan(140);
  expect(hub.snapshot()).toMatchObject({ state: 'rolling', bpm: 200 });
  hub.command({ kind: 'stop' });
  hub.command({ kind: 'stop' });
  run(hub, 2050, 2500);
  expect(hub.snapshot().state).toBe('stopped');
});

test('a feed added while rolling joins in sync; a removed one gets a stop', () => {
  const hub = new Hub({ bpm: 120 });
  hub.setFeeds([feed('a')]);
  run(hub, 0, 50);
  hub.command({ kind: 'play' });
  run(hub, 50, 1000);
  hub.setFeeds([feed('a'), feed('b')]);
  const both = run(hub, 1000, 2000);
  const joined = heard(both, 'b').filter(({ kind }) => kind !== 'clock');
  // It may be playing by itself, and would ignore the position.
  expect(joined.map(({ kind }) => kind)).toEqual(['stop', 'songPosition', 'continue']);
  const late = ticks(both, 'b').at(-1)!;
  expect(ticks(both, 'a').some((ms) => Math.abs(ms - late) < 1e-6)).toBe(true);
  hub.setFeeds([feed('b')]);
  expect(heard(run(hub, 2000, 2100), 'a').map(({ kind }) => kind)).toEqual(['stop']);
});

test('a reconnected port resumes in sync', () => {
  const hub = new Hub({ bpm: 120 });
  hub.setFeeds([feed('a'), feed('b')]);
  run(hub, 0, 50);
  hub.command({ kind: 'play' });
  run(hub, 50, 1000);
  hub.command({ kind: 'rejoin', feedId: 'b' });
  const out = run(hub, 1000, 2000);
  expect(heard(out, 'b').some(({ kind }) => kind === 'continue')).toBe(true);
  expect(ticks(out, 'b').at(-1)).toBeCloseTo(ticks(out, 'a').at(-1)!, 6);
});

test('after sleep there is no burst: everyone stops where they were', () => {
  const hub = new Hub({ bpm: 120 });
  hub.setFeeds([feed('a')]);
  run(hub, 0, 50);
  hub.command({ kind: 'play' });
  run(hub, 50, 2000);
  const woken = hub.advance(62_000, 60);
  expect(heard(woken, 'a').map(({ kind }) => kind)).toEqual(['stop']);
  expect(hub.snapshot()).toMatchObject({ state: 'stopped', sleeps: 1 });
  expect(hub.snapshot().beat).toBeLessThan(4.2);
});

test('invalid commands are rejected', () => {
  const hub = new Hub({ bpm: 120 });
  expect(() => hub.command({ kind: 'tempo', bpm: 19 })).toThrow('20 to 300 BPM');
  expect(() => hub.command({ kind: 'locate', beat: -1 })).toThrow('Song position must be 0 or later, not -1');
});

test('changing the time signature while rolling loses no tick and sends nothing', () => {
  const hub = new Hub({ bpm: 120 });
  hub.setFeeds([feed('a')]);
  hub.command({ kind: 'play' });
  run(hub, 0, 1000);
  hub.setSong({ meter: [{ bar: 1, beatsPerBar: 7, beatUnit: 8 }] });
  const out = run(hub, 1000, 3000);
  expect(new Set(heard(out, 'a').map(({ kind }) => kind))).toEqual(new Set(['clock']));
  ticks(out, 'a')
    .slice(1)
    .forEach((ms, i) => expect(ms - ticks(out, 'a')[i]!).toBeCloseTo(500 / 24, 6));
});

test('a follower stopped individually stays stopped when the others play, and restarts in sync', () => {
  const hub = new Hub({ bpm: 120 });
  hub.setFeeds([feed('a'), feed('b')]);
  run(hub, 0, 50);
  hub.command({ kind: 'play' });
  run(hub, 50, 1000);
  hub.command({ kind: 'hold', feedId: 'a' });
  const held = run(hub, 1000, 2000);
  expect(heard(held, 'a').map(({ kind }) => kind)).toEqual(['stop']);
  expect(ticks(held, 'b').length).toBeGreaterThan(40);
  expect(hub.snapshot().held).toEqual(['a']);
  hub.command({ kind: 'stop' });
  run(hub, 2000, 2500);
  hub.command({ kind: 'play' });
  expect(heard(run(hub, 2500, 3500), 'a')).toEqual([]);
  hub.command({ kind: 'release', feedId: 'a' });
  const both = run(hub, 3500, 5000);
  expect(
    heard(both, 'a')
      .map(({ kind }) => kind)
      .slice(0, 3),
  ).toEqual(['stop', 'songPosition', 'continue']);
  const [first] = ticks(both, 'a');
  expect(ticks(both, 'b').some((ms) => Math.abs(ms - first!) < 1e-9)).toBe(true);
});

test('a muted follower gets nothing, and rejoins when unmuted', () => {
  const hub = new Hub({ bpm: 120 });
  hub.setFeeds([feed('a')]);
  hub.command({ kind: 'play' });
  run(hub, 0, 1000);
  hub.command({ kind: 'mute', feedId: 'a', muted: true });
  expect(heard(run(hub, 1000, 2000), 'a').map(({ kind }) => kind)).toEqual(['stop']);
  hub.command({ kind: 'mute', feedId: 'a', muted: false });
  const again = heard(run(hub, 2000, 3000), 'a').map(({ kind }) => kind);
  expect(again.slice(0, 4)).toEqual(['stop', 'songPosition', 'continue', 'clock']);
});

test('audio is handed over early: tempo changes don’t wait for it, play and stop do, and no click is lost or doubled', () => {
  const hub = new Hub({ bpm: 120 });
  const notes = { channel: 10, barNote: 76, beatNote: 77, velocity: 100 };
  const nothing = { clock: false, transport: false, position: false, timecode: null };
  hub.setFeeds([feed('a'), { ...feed('click', { sends: nothing, notes }), portId: 'sound' }]);
  hub.handOverEarly('sound', 45);
  const clicks: number[] = [];
  const ticksOfA: number[] = [];
  const go = (fromMs: number, toMs: number) => {
    for (let nowMs = fromMs; nowMs < toMs; nowMs += 10) {
      const out = hub.advance(nowMs, 60);
      const sounds = heard(out, 'click').filter(({ kind }) => kind === 'noteOn');
      // At the change itself, at most three start leads of 2 ms can be missing.
      for (const { atMs } of sounds) expect(atMs - nowMs).toBeGreaterThan(90);
      clicks.push(...sounds.map(({ atMs }) => atMs));
      ticksOfA.push(...ticks(out, 'a'));
    }
  };
  go(0, 100);
  hub.command({ kind: 'play' });
  go(100, 2000);
  for (let i = 0; i < 40; i++) {
    const before = hub.snapshot().bpm;
    hub.command({ kind: 'tempo', bpm: before > 120 ? 110 : 130 });
    go(2000 + 130 * i, 2090 + 130 * i);
    expect(hub.snapshot().bpm).not.toBe(before);
    go(2090 + 130 * i, 2130 + 130 * i);
  }
  hub.command({ kind: 'stop' });
  go(7200, 8000);
  // Each click is on its tick; one handed over before the tempo change is off by at most what 45 ms amount to.
  expect(clicks).toHaveLength(Math.ceil(ticksOfA.length / 24));
  clicks.forEach((ms, beat) => expect(Math.abs(ms - ticksOfA[24 * beat]!)).toBeLessThan((45 * 20) / 110));
  expect(clicks.filter((ms, beat) => Math.abs(ms - ticksOfA[24 * beat]!) < 1e-6).length).toBeGreaterThan(6);
});

test('the lookahead grows with late wake-ups up to a limit, and shrinks after a calm half minute', () => {
  const lookahead = new Lookahead();
  let nowMs = 0;
  const good = (seconds: number) => {
    let ms = 0;
    for (const until = nowMs + 1000 * seconds; nowMs < until;) ms = lookahead.wake((nowMs += 10));
    return ms;
  };
  expect(lookahead.wake(0)).toBe(60);
  expect(lookahead.wake((nowMs = 90))).toBe(120);
  expect(lookahead.wake((nowMs = 5000))).toBe(500);
  expect(good(32)).toBe(60);
  lookahead.needed(120);
  expect(good(25)).toBe(160);
  expect(good(7)).toBe(60);
});

test('before the window is busy, the lookahead covers its longest delay so far, for a second', () => {
  const lookahead = new Lookahead();
  let nowMs = 0;
  const wakeAfter = (ms: number) => lookahead.wake((nowMs += ms));
  expect(wakeAfter(0)).toBe(60);
  lookahead.expectBusy(nowMs);
  expect(wakeAfter(10)).toBe(250);
  expect(wakeAfter(240)).toBe(320);
  for (let i = 0; i < 3500; i++) wakeAfter(10);
  expect(wakeAfter(10)).toBe(60);
  lookahead.expectBusy(nowMs);
  expect(wakeAfter(10)).toBe(320);
});
