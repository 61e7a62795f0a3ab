import { seededRandom } from '../standin/random';
import { ClockFollower, type Response } from './clock-follower';

const CLOCK = { kind: 'clock' } as const;
const { sqrt, abs } = Math;
const RESPONSES: Response[] = ['steady', 'quick'];

/** Ticks of a steady clock from 1000 ms on, with normally distributed jitter. */
function ticksAt(bpm: number, count: number, { seed = 1, noiseMs = 1, fromMs = 1000 } = {}): number[] {
  const { normal } = seededRandom(seed);
  return Array.from({ length: count }, (_, i) => fromMs + (i * 2500) / bpm + noiseMs * normal());
}

/** A follower that has received start and these ticks. */
function follower(response: Response, ticks: number[]): ClockFollower {
  const one = new ClockFollower({ response });
  one.push({ kind: 'start' }, ticks[0]! - 2);
  for (const ms of ticks) one.push(CLOCK, ms);
  return one;
}

const rms = (values: number[]) => sqrt(values.reduce((sum, value) => sum + value * value, 0) / values.length);

/**
 * The Cramér-Rao bound for the period of N ticks with normal noise: sigma sqrt(12 / (N^3 - N)), a standard result of
 * estimation theory (the variance of the slope of a least-squares line); at 120 BPM, 1 ms and 96 ticks 0.021 BPM.
 */
const boundBpm = (bpm: number, ticks: number, noiseMs = 1) =>
  (bpm / (2500 / bpm)) * noiseMs * sqrt(12 / (ticks ** 3 - ticks));

test('the bound matches the reference', () => expect(boundBpm(120, 96)).toBeCloseTo(0.021, 3));

describe.each(RESPONSES)('%s, with 1 ms of noise on every tick', (response) => {
  test.each([72, 120, 240])('after four beats at %i BPM the tempo is within 1.2 times the Cramer-Rao bound', (bpm) => {
    const errors = Array.from({ length: 300 }, (_, seed) => {
      const ticks = ticksAt(bpm, 96, { seed: seed + 1 });
      return follower(response, ticks).at(ticks.at(-1)!).bpm! - bpm;
    });
    expect(rms(errors)).toBeLessThan(1.2 * boundBpm(bpm, 96));
  });

  test('a jump from 100 to 140 BPM is followed within one beat by Quick, two by Steady', () => {
    for (let seed = 1; seed <= 100; seed++) {
      const before = ticksAt(100, 240, { seed });
      const jumpMs = 1000 + 239 * 25;
      const after = ticksAt(140, 49, { seed: seed + 500, fromMs: jumpMs }).slice(1);
      const within = after.slice(0, response === 'quick' ? 24 : 48);
      const one = follower(response, [...before, ...within]);
      const { bpm, missing, extra } = one.at(within.at(-1)!);
      expect(abs(bpm! / 140 - 1)).toBeLessThan(0.01);
      expect(missing + extra).toBe(0);
    }
  });

  test('a smaller change, of 3%, is followed too', () => {
    const before = ticksAt(100, 240);
    const after = ticksAt(103, 97, { seed: 9, fromMs: 1000 + 239 * 25 }).slice(1);
    const one = follower(response, [...before, ...after]);
    expect(abs(one.at(after.at(-1)!).bpm! / 103 - 1)).toBeLessThan(0.003);
  });

  test.each([
    ['a lost tick', (ticks: number[]) => ticks.toSpliced(600, 1), { missing: 1, extra: 0 }],
    ['a doubled tick', (ticks: number[]) => ticks.toSpliced(600, 0, ticks[599]! + 0.4), { missing: 0, extra: 1 }],
    ['300 ms of silence', (ticks: number[]) => ticks.toSpliced(600, 14), { missing: 14, extra: 0 }],
  ])('%s moves the beat by less than 1 ms', (_, disturb, counted) => {
    for (let seed = 1; seed <= 20; seed++) {
      const ticks = ticksAt(120, 640, { seed });
      const nowMs = ticks.at(-1)!;
      const calm = follower(response, ticks).at(nowMs);
      const disturbed = follower(response, disturb(ticks)).at(nowMs);
      expect(abs(disturbed.beat! - calm.beat!) * 500).toBeLessThan(1);
      expect(disturbed).toMatchObject({ state: 'locked', ...counted });
    }
  });

  test('the beat is right to within the noise of a few ticks', () => {
    const ticks = ticksAt(120, 480);
    const { beat, rolling } = follower(response, ticks).at(1000 + 480 * (2500 / 120));
    expect(abs(beat! - 20) * 500).toBeLessThan(1);
    expect(rolling).toBe(true);
  });
});

test('Steady regenerates ticks with a tenth of the incoming jitter after sixteen beats', () => {
  const spreads = Array.from({ length: 20 }, (_, seed) => {
    const ticks = ticksAt(120, 768, { seed: seed + 1 });
    const one = follower('steady', ticks.slice(0, 384));
    const offMs = ticks.slice(384).map((ms, i) => {
      const { beat, bpm } = one.at(ms);
      // Error of the tick as the follower would regenerate it.
      const givenMs = ms + ((384 + i) / 24 - beat!) * (60_000 / bpm!);
      one.push(CLOCK, ms);
      return givenMs - (1000 + (384 + i) * (2500 / 120));
    });
    const middle = offMs.reduce((sum, ms) => sum + ms, 0) / offMs.length;
    return rms(offMs.map((ms) => ms - middle));
  });
  expect(rms(spreads)).toBeLessThan(0.1);
});

test('states: silent, settling, locked, freewheeling, lost, and locked again in phase', () => {
  const one = new ClockFollower({ response: 'quick', freewheelMs: 1000 });
  expect(one.at(0)).toMatchObject({ state: 'silent', bpm: null, beat: null });
  const ticks = ticksAt(120, 200, { noiseMs: 0 });
  one.push({ kind: 'start' }, 998);
  for (const ms of ticks.slice(0, 5)) one.push(CLOCK, ms);
  expect(one.at(ticks[4]!).state).toBe('settling');
  for (const ms of ticks.slice(5, 48)) one.push(CLOCK, ms);
  expect(one.at(ticks[47]!).state).toBe('locked');
  expect(one.at(ticks[47]! + 300)).toMatchObject({ state: 'freewheeling', rolling: true });
  expect(one.at(ticks[47]! + 300).beat).toBeCloseTo(((47 * 2500) / 120 + 300) / 500, 6);
  expect(one.at(ticks[47]! + 1300)).toMatchObject({ state: 'lost', rolling: false });
  expect(one.at(ticks[47]! + 9000).beat).toBeCloseTo(((47 * 2500) / 120 + 1000) / 500, 6);
  for (const ms of ticks.slice(150)) one.push(CLOCK, ms);
  expect(one.at(ticks.at(-1)!)).toMatchObject({ state: 'locked', rolling: true });
  expect(one.at(ticks.at(-1)!).beat).toBeCloseTo(199 / 24, 6);
});

test('start, stop, continue and song position follow MIDI 1.0', () => {
  const one = new ClockFollower({ response: 'quick' });
  const ticks = ticksAt(120, 300, { noiseMs: 0 });
  for (const ms of ticks.slice(0, 48)) one.push(CLOCK, ms);
  expect(one.at(ticks[47]!)).toMatchObject({ state: 'locked', beat: 0, rolling: false });
  one.push({ kind: 'start' }, ticks[47]! + 10);
  for (const ms of ticks.slice(48, 97)) one.push(CLOCK, ms);
  expect(one.at(ticks[96]!).beat).toBeCloseTo(2, 9);
  one.push({ kind: 'stop' }, ticks[96]! + 5);
  for (const ms of ticks.slice(97, 120)) one.push(CLOCK, ms);
  expect(one.at(ticks[119]!)).toMatchObject({ beat: 49 / 24, rolling: false, state: 'locked' });
  one.push({ kind: 'songPosition', sixteenths: 36 }, ticks[119]! + 1);
  one.push({ kind: 'continue' }, ticks[119]! + 5);
  for (const ms of ticks.slice(120, 145)) one.push(CLOCK, ms);
  expect(one.at(ticks[144]!).beat).toBeCloseTo(9 + 1, 9);
});

test('half and double tempo are a tempo change, not missing or duplicate ticks', () => {
  for (const bpm of [60, 240]) {
    const before = ticksAt(120, 240);
    const after = ticksAt(bpm, 49, { seed: 5, fromMs: 1000 + 239 * (2500 / 120) }).slice(1);
    const one = follower('quick', [...before, ...after]);
    const reading = one.at(after.at(-1)!);
    expect(abs(reading.bpm! / bpm - 1)).toBeLessThan(0.01);
    expect(reading).toMatchObject({ missing: 0, extra: 0 });
    expect(abs(reading.beat! - (239 + 48) / 24)).toBeLessThan(0.01);
  }
});

test('a ramp from 65 to 140 BPM over 16 bars is followed within 2%, and no tick is lost', () => {
  const { normal } = seededRandom(3);
  const slope = 75 / 64;
  const msAt = (beat: number) => (60_000 / slope) * Math.log1p((slope * beat) / 65);
  for (const response of RESPONSES) {
    const one = new ClockFollower({ response });
    one.push({ kind: 'start' }, 999);
    for (let tick = 0; tick < 64 * 24; tick++) {
      const ms = 1001 + msAt(tick / 24);
      one.push(CLOCK, ms + 0.3 * normal());
      if (tick > 48) expect(abs(one.at(ms).bpm! / (65 + (slope * tick) / 24) - 1)).toBeLessThan(0.02);
    }
    expect(one.at(1001 + msAt(64)).beat).toBeCloseTo(64, 1);
    expect(one.at(1001 + msAt(64))).toMatchObject({ missing: 0, extra: 0 });
  }
});

test('a machine that restarts its tick phase on start is followed from its first tick, at the previous tempo', () => {
  for (const lateMs of [4, 9, 15, 27, 38]) {
    const one = new ClockFollower({ response: 'steady' });
    const idle = ticksAt(120, 200, { noiseMs: 0.3 });
    for (const ms of idle) one.push(CLOCK, ms);
    const beginsMs = 1000 + 199 * (2500 / 120) + lateMs;
    one.push({ kind: 'start' }, beginsMs - 2);
    const row = ticksAt(120, 60, { noiseMs: 0.3, seed: 4, fromMs: beginsMs });
    row.forEach((ms, i) => {
      one.push(CLOCK, ms);
      const { beat, bpm, state } = one.at(ms);
      expect(state).toBe('locked');
      expect(abs(bpm! / 120 - 1)).toBeLessThan(0.01);
      expect(abs(beat! * 24 - i) * (2500 / 120)).toBeLessThan(1.5);
    });
  }
});
