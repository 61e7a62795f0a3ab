import type { Take, TakeLine } from '../store/records';
import { compareTakes, conditions } from './compare-takes';

const wobble = (n: number, spread: number, at: number) =>
  Array.from({ length: n }, (_, i) => ({ pulse: i, lateMs: at + spread * Math.sin(i * 7.3) }));
const line = (at: number, change: Partial<TakeLine> = {}): TakeLine => ({
  gearId: 'porch',
  name: 'Porch',
  channel: 1,
  offsetMs: 0,
  report: {
    ...{
      medianMs: at,
      ci95Ms: [at - 0.2, at + 0.2],
      spreadMs: 0.3,
      matched: 16,
      missed: 0,
      extra: 0,
      believable: true,
    },
  },
  landings: wobble(16, 0.4, at),
  pulsesMs: [],
  onsetsMs: [],
  ...change,
});
let count = 0;
const take = (one: TakeLine, change: Partial<Take> = {}): Take => ({
  ...{
    id: `t${++count}`,
    rigId: 'own',
    kind: 'take',
    gearIds: ['porch'],
    startedAt: count,
    source: 'live',
    proof: false,
  },
  ...{
    status: 'done',
    sampleRate: 48_000,
    frames: 1,
    bpm: 120,
    drive: 'clock',
    input: 'Box',
    beats: { clickChannel: 0 },
  },
  lines: [one],
  ...change,
});

test('a significant shift is reported, with its size', () => {
  const [one] = compareTakes(take(line(12)), take(line(14)), []);
  expect(one).toMatchObject({ name: 'Porch', real: true, byOffsetMs: 0, usualMs: null });
  expect(one!.shift!.shiftMs).toBeCloseTo(2, 6);
});

test('a repeat isn’t significant', () => {
  expect(compareTakes(take(line(12)), take(line(12.02)), [])[0]!.real).toBe(false);
});

test('the usual variation between takes isn’t a difference, however precise each take is', () => {
  const others = [10.2, 13.9, 11.5, 12.8, 14.4, 10.9].map((at) => take(line(at)));
  expect(compareTakes(take(line(12)), take(line(14)), others)[0]).toMatchObject({ real: false });
  const steady = [12.0, 12.05, 11.95, 12.02, 11.99].map((at) => take(line(at)));
  expect(compareTakes(take(line(12)), take(line(14)), steady)[0]).toMatchObject({ real: true });
});

test('a shift explained by the offset isn’t significant; the remainder is', () => {
  const moved = (at: number) => compareTakes(take(line(12)), take(line(at, { offsetMs: -12 })), [])[0]!;
  expect(moved(0)).toMatchObject({ byOffsetMs: -12, real: false });
  expect(moved(3)).toMatchObject({ byOffsetMs: -12, real: true });
});

test('other gear isn’t compared, and too few landings say why', () => {
  expect(compareTakes(take(line(1)), take(line(1, { gearId: 'tide', name: 'Tide' })), [])).toEqual([]);
  const [short] = compareTakes(take(line(1)), take(line(1, { landings: wobble(2, 0, 1) })), []);
  expect(short).toMatchObject({
    shift: null,
    real: null,
    problem: expect.stringContaining('needs at least 4') as string,
  });
});

test('differing conditions come first', () => {
  const rows = conditions(
    take(line(1)),
    take(line(1, { wiredTo: 'midi:2' }), { bpm: 96, sampleRate: 44_100 }),
    'porch',
  );
  expect(rows.filter(({ differs }) => differs).map(({ what, second }) => [what, second])).toEqual([
    ['Sample rate', '44100 Hz'],
    ['Tempo', '96.00 BPM'],
    ['Output port', 'midi:2'],
  ]);
  expect(rows.findIndex(({ differs }) => !differs)).toBe(3);
});
