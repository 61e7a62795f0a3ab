import { feed, master, Room, source } from '../testing/room';
import type { SourceSettings } from './source';

const gaps = (times: number[]) => times.slice(1).map((ms, i) => ms - times[i]!);
const bpmOf = (times: number[]) => 2500 / ((times.at(-1)! - times.at(-49)!) / 48);

/** Two keyboards that may lead, 0.3% apart in tempo, whoever plays. */
function twoKeyboards() {
  const room = new Room();
  room.hub.setFeeds([feed('drums'), { ...feed('second'), reaches: ['second'] }]);
  room.hub.setSources([source('first'), source('second')]);
  room.hub.setLeaders(['first', 'second', 'hub'], 'whoeverPlays');
  const first = room.machine('first', master({ jitterMs: 0.3 }));
  const second = room.machine('second', master({ tempo: [{ beat: 0, bpm: 120.36 }], jitterMs: 0.3, seed: 8 }));
  room.run(1500);
  return { room, first, second };
}

test('only the second in the order plays, and it leads', () => {
  const { room, second } = twoKeyboards();
  second.play();
  room.run(3000);
  expect(room.hub.snapshot()).toMatchObject({ leader: 'second', state: 'rolling' });
});

test('two play: the one that played first keeps the lead, and the other takes over when it stops', () => {
  const { room, first, second } = twoKeyboards();
  second.play();
  room.run(2000);
  first.play();
  room.run(4000);
  expect(room.hub.snapshot().leader).toBe('second');
  second.stop();
  room.run(3000);
  expect(room.hub.snapshot()).toMatchObject({ leader: 'first', state: 'rolling' });
  first.stop();
  room.run(1000);
  expect(room.hub.snapshot().state).toBe('stopped');
});

test('the lead passes between tempos 0.3% apart, and no tick is further than 2 ms from an even pulse', () => {
  const { room, first, second } = twoKeyboards();
  first.play();
  second.play();
  room.run(8000);
  const before = room.ticks('drums').length;
  first.stop();
  room.run(8000);
  const ticks = room.ticks('drums');
  expect(ticks.length - before).toBeGreaterThan(380);
  // From tick to tick: nothing lost, doubled or bent.
  for (const gap of gaps(ticks.slice(48))) expect(Math.abs(gap - 2500 / 120)).toBeLessThan(2);
  expect(bpmOf(ticks)).toBeCloseTo(120.36, 1);
  // On the line of the one that leads now, after two bars.
  const settled = ticks.slice(before + 192);
  const tickMs = 2500 / (120.36 * (1 + 40e-6));
  const off = settled.map((ms, i) => ms - settled[0]! - i * tickMs);
  expect(Math.max(...off.map(Math.abs))).toBeLessThan(2);
});

test('a leader whose cable is pulled is followed for the freewheel time, then the other one takes over', () => {
  const { room, first, second } = twoKeyboards();
  first.play();
  second.play();
  room.run(5000);
  room.unplugged.add('first');
  room.run(1000);
  expect(room.hub.snapshot().leader).toBe('first');
  room.run(3000);
  expect(room.hub.snapshot()).toMatchObject({ leader: 'second', state: 'rolling' });
});

test('the hub plays when its play is pressed, and keeps the lead while a keyboard plays along', () => {
  const { room, first } = twoKeyboards();
  room.hub.command({ kind: 'play' });
  room.run(1000);
  first.play();
  room.run(2000);
  expect(room.hub.snapshot()).toMatchObject({ leader: 'hub', state: 'rolling' });
});

test('stop on the hub stops everyone, although a keyboard plays on', () => {
  const { room, first } = twoKeyboards();
  first.play();
  room.run(3000);
  room.hub.command({ kind: 'stop' });
  room.run(3000);
  expect(room.hub.snapshot().state).toBe('stopped');
  first.stop();
  room.run(500);
  first.play();
  room.run(3000);
  expect(room.hub.snapshot()).toMatchObject({ leader: 'first', state: 'rolling' });
});

test('a device that starts because the hub started it does not take over', () => {
  const { room, second } = twoKeyboards();
  room.hub.command({ kind: 'play' });
  room.run(500);
  second.play();
  room.run(3000);
  room.hub.command({ kind: 'stop' });
  room.run(1500);
  expect(room.hub.snapshot()).toMatchObject({ leader: 'hub', state: 'stopped' });
});

/** A clock that runs without having been started. */
function running(change: Partial<SourceSettings> = {}, bpm = 93) {
  const room = new Room();
  room.hub.setFeeds([feed('drums')]);
  room.hub.setSources([source('desk', change)]);
  room.hub.setLeaders(['desk', 'hub']);
  const desk = room.machine('desk', master({ tempo: [{ beat: 0, bpm }], jitterMs: 0.3 }));
  room.run(3000);
  return { room, desk };
}

test('ticks without a start are a tempo: the hub shows it, and plays at it from its own position', () => {
  const { room } = running();
  expect(room.hub.snapshot().bpm).toBeCloseTo(93, 1);
  room.hub.command({ kind: 'locate', beat: 16 });
  room.hub.command({ kind: 'play' });
  const heard = room.heard('drums', room.run(6000));
  expect(room.hub.snapshot()).toMatchObject({ state: 'rolling', leader: 'desk', onTicks: true });
  expect(heard.find(({ kind }) => kind === 'songPosition')).toMatchObject({ sixteenths: 64 });
  expect(bpmOf(room.ticks('drums'))).toBeCloseTo(93 * (1 + 40e-6), 1);
  room.hub.command({ kind: 'stop' });
  room.run(1000);
  expect(room.hub.snapshot().state).toBe('stopped');
});

test('a tapped downbeat: everyone starts on a bar line, on a tick of the clock, whole bars after it', () => {
  for (const tapMs of [2990, 2700, 1400]) {
    const { room } = running({}, 120);
    room.hub.command({ kind: 'downbeat', atMs: tapMs });
    const heard = room.heard('drums', room.run(6000));
    const start = heard.findIndex(({ kind }) => kind === 'start');
    const first = heard.slice(start).find(({ kind }) => kind === 'clock')!;
    const bars = (first.atMs - tapMs) / 2000;
    // The tap is moved to the nearest tick, half of 20.8 ms at most; the clock's own delay adds to it.
    expect(Math.abs(bars - Math.round(bars)) * 2000).toBeLessThan(12);
    expect(bars).toBeLessThan(3);
    expect(room.hub.snapshot()).toMatchObject({ state: 'rolling', onTicks: true });
  }
});

test('a clock that gives the tempo only is neither started nor stopped by its own start and stop', () => {
  const { room, desk } = running({ gives: 'tempo' });
  desk.play();
  room.run(2000);
  expect(room.hub.snapshot().state).toBe('stopped');
  room.hub.command({ kind: 'play' });
  room.run(2000);
  desk.stop();
  room.run(2000);
  expect(room.hub.snapshot()).toMatchObject({ state: 'rolling', leader: 'desk' });
  room.hub.command({ kind: 'locate', beat: 40 });
  room.run(1000);
  const { beat, bpm } = room.hub.snapshot();
  expect(beat).toBeGreaterThan(40);
  expect(beat).toBeLessThan(42);
  expect(bpm).toBeCloseTo(93, 1);
});

test('a clock that gives the transport only starts and stops the hub, which plays at its own tempo', () => {
  const { room, desk } = running({ gives: 'transport' });
  expect(room.hub.snapshot().bpm).toBe(110);
  desk.play();
  room.run(3000);
  expect(room.hub.snapshot()).toMatchObject({ state: 'rolling', bpm: 110, leader: 'desk' });
  room.hub.command({ kind: 'tempo', bpm: 140 });
  room.run(1000);
  expect(room.hub.snapshot().bpm).toBe(140);
  desk.stop();
  room.run(1000);
  expect(room.hub.snapshot().state).toBe('stopped');
});

test('one gives the tempo, another the transport', () => {
  const { room } = running({ gives: 'tempo' });
  room.hub.setSources([source('desk', { gives: 'tempo' }), source('pedal', { obeys: true })]);
  const pedal = room.machine('pedal', master({ tempo: [{ beat: 0, bpm: 60 }] }));
  room.run(1000);
  pedal.play();
  room.run(3000);
  expect(room.hub.snapshot()).toMatchObject({ state: 'rolling', leader: 'desk' });
  expect(room.hub.snapshot().bpm).toBeCloseTo(93, 0);
});

test('a clock that stops while everyone plays on its ticks is lost after the freewheel time', () => {
  const { room } = running();
  room.hub.command({ kind: 'play' });
  room.run(3000);
  room.unplugged.add('desk');
  room.run(1000);
  expect(room.hub.snapshot().state).toBe('rolling');
  room.run(2500);
  expect(room.hub.snapshot()).toMatchObject({ leader: 'hub', state: 'rolling' });
});

test('a start of the clock takes over from a position that the musician had set', () => {
  const { room, desk } = running();
  room.hub.command({ kind: 'play' });
  room.run(3000);
  desk.play();
  room.run(3000);
  const { beat, onTicks } = room.hub.snapshot();
  expect(onTicks).toBe(false);
  expect(beat).toBeCloseTo((2.97 * 93) / 60, 1);
});
