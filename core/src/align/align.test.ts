import fc from 'fast-check';
import { convertOffset } from './convert-offset';
import { ownOffsetFor } from './own-offset';
import { parseDuration } from './parse-duration';
import { poolTakes } from './pool-takes';
import { shiftSound } from './shift-sound';
import { solveOffsets, type Reading } from './solve-offsets';

const late = (id: string, lateMs: number, currentOffsetMs = 0) => ({ id, lateMs, currentOffsetMs });

test('grid: a device 12.3 ms late is sent 12.3 ms earlier, and the earliest sets the pre-roll', () => {
  const { offsets, preRollMs } = solveOffsets([late('a', 12.3), late('b', -2), late('c', 1, -20)], 'grid');
  expect(offsets.map(({ offsetMs }) => offsetMs)).toEqual([-12.3, 2, -21]);
  expect(offsets.map(({ expectedMs }) => expectedMs)).toEqual([0, 0, 0]);
  expect(preRollMs).toBe(21);
});

test('slowest: nobody is sent earlier than now; a chosen device: it keeps its offset', () => {
  const readings = [late('a', 5, -3), late('b', 30), late('c', 12)];
  expect(solveOffsets(readings, 'latest').offsets.map(({ offsetMs }) => offsetMs)).toEqual([22, 0, 18]);
  expect(solveOffsets(readings, { id: 'c' }).offsets).toEqual([
    { id: 'a', offsetMs: 4, expectedMs: 12 },
    { id: 'b', offsetMs: -18, expectedMs: 12 },
    { id: 'c', offsetMs: 0, expectedMs: 12 },
  ]);
});

test('a follower’s limits and step are respected, and the residual is reported', () => {
  const [offset] = solveOffsets([{ ...late('a', 12.3), resolutionMs: 1, earliestMs: -10 }], 'grid').offsets;
  expect(offset?.offsetMs).toBe(-10);
  expect(offset?.expectedMs).toBeCloseTo(2.3, 9);
});

test('followers on one wire share one offset, which makes the worst of them as close as possible', () => {
  const wired = [12, 30, 18].map((ms, i) => ({ ...late(`w${i}`, ms), wire: 'port 1' }));
  const { offsets, limits } = solveOffsets([...wired, late('alone', 5)], 'grid');
  expect(offsets.map(({ offsetMs, expectedMs }) => [offsetMs, expectedMs])).toEqual([
    [-21, -9],
    [-21, 9],
    [-21, -3],
    [-5, 0],
  ]);
  expect(limits).toEqual({ w0: 'wire', w1: 'wire', w2: 'wire' });
});

test('on a shared wire one lock holds all, and aligning to the slowest makes nobody later than that', () => {
  const wired = [12, 30].map((ms, i) => ({ ...late(`w${i}`, ms, -2), wire: 'port 1', locked: i === 1 }));
  expect(solveOffsets(wired, 'grid').offsets.map(({ offsetMs }) => offsetMs)).toEqual([-2, -2]);
  const free = wired.map((one) => ({ ...one, locked: false }));
  expect(solveOffsets([...free, late('slow', 35)], 'latest').offsets.map(({ expectedMs }) => expectedMs)).toEqual([
    17, 35, 35,
  ]);
});

test('on a shared wire, a device with its own offset corrects the rest and doesn’t pull the others off the beat', () => {
  const sampler = { ...late('sampler', 40), wire: 'port 1', correctsItself: true, resolutionMs: 1 };
  const drums = { ...late('drums', 12), wire: 'port 1' };
  const { offsets, limits } = solveOffsets([drums, sampler], 'grid');
  expect(offsets.map(({ offsetMs, expectedMs }) => [offsetMs, expectedMs])).toEqual([
    [-12, 0],
    [-40, 0],
  ]);
  expect(limits).toEqual({});
  const locked = solveOffsets([drums, { ...sampler, locked: true }], 'grid');
  expect(locked.offsets.map(({ offsetMs }) => offsetMs)).toEqual([0, 0]);
  expect(locked.limits).toEqual({ drums: 'wire', sampler: 'locked' });
  expect(solveOffsets([drums, sampler], { id: 'sampler' }).offsets.map(({ offsetMs }) => offsetMs)).toEqual([0, 0]);
});

test('limits are reported: locked, earliest, latest, step size, uncertainty', () => {
  const { offsets, limits } = solveOffsets(
    [
      { ...late('locked', 9, -3), locked: true },
      { ...late('early', 12), earliestMs: -10 },
      { ...late('late', -12), latestMs: 10 },
      { ...late('coarse', 12.3), resolutionMs: 1 },
      { ...late('doubtful', 1.4), doubtMs: 1.5 },
      { ...late('settled', 3), doubtMs: 0.1 },
    ],
    'grid',
  );
  expect(limits).toEqual({
    locked: 'locked',
    early: 'earliest',
    late: 'latest',
    coarse: 'resolution',
    doubtful: 'doubt',
  });
  expect(offsets.map(({ offsetMs }) => offsetMs)).toEqual([-3, -10, 10, -12, 0, -3]);
});

test('1,000 random rigs: the worst error never grows, and applying twice changes nothing beyond the resolution', () => {
  const reading = fc.record(
    {
      lateMs: fc.double({ min: -50, max: 80, noNaN: true }),
      currentOffsetMs: fc.double({ min: -50, max: 50, noNaN: true }),
      resolutionMs: fc.constantFrom(0.01, 0.1, 1, 1000 / 48_000, 60_000 / 120 / 24),
      earliestMs: fc.double({ min: -60, max: 0, noNaN: true }),
      latestMs: fc.double({ min: 0, max: 60, noNaN: true }),
      doubtMs: fc.double({ min: 0, max: 3, noNaN: true }),
      locked: fc.boolean(),
    },
    { requiredKeys: ['lateMs', 'currentOffsetMs', 'resolutionMs'] },
  );
  const target = fc.constantFrom('grid' as const, 'latest' as const, { id: '0' });
  fc.assert(
    fc.property(fc.array(reading, { minLength: 1, maxLength: 64 }), target, (list, target) => {
      const readings: Reading[] = list.map((one, i) => ({ ...one, id: String(i) }));
      const once = solveOffsets(readings, target);
      const moved = readings.map((one, i) => {
        const { expectedMs, offsetMs } = once.offsets[i]!;
        return { ...one, lateMs: expectedMs, currentOffsetMs: offsetMs };
      });
      const worst = (all: Reading[]) => Math.max(...all.map(({ lateMs }) => Math.abs(lateMs - once.meetMs)));
      expect(worst(moved)).toBeLessThanOrEqual(worst(readings) + 1e-9);
      solveOffsets(moved, target).offsets.forEach(({ offsetMs }, i) =>
        expect(Math.abs(offsetMs - moved[i]!.currentOffsetMs)).toBeLessThanOrEqual(
          (readings[i]!.resolutionMs ?? 0) + 1e-9,
        ),
      );
    }),
    { numRuns: 1000, seed: 7 },
  );
});

test('device offsets: the value to enter in its unit, sign and step, and the residual', () => {
  const at = { sampleRate: 44_100, bpm: 120 };
  const place = { own: 0, unit: 'ms' as const, plusIs: 'later' as const, step: 1 };
  expect(ownOffsetFor(place, -12.3, at)).toEqual({ value: -12, leftMs: expect.closeTo(0.3, 9) });
  expect(ownOffsetFor({ ...place, plusIs: 'earlier', own: 4 }, -12.3, at).value).toBe(16);
  // 12 ms are 529.2 samples at 44.1 kHz; a tick at 120 BPM is 20.8333 ms (plain arithmetic).
  expect(ownOffsetFor({ ...place, unit: 'samples' }, -12, at)).toEqual({
    value: -529,
    leftMs: expect.closeTo(0.2 / 44.1, 9),
  });
  expect(ownOffsetFor({ ...place, unit: 'ticks', step: 0.5 }, 31.25, at)).toEqual({
    value: 1.5,
    leftMs: expect.closeTo(0, 9),
  });
  expect(ownOffsetFor({ ...place, step: 0 }, 0.125, at).value).toBe(0.125);
});

test('takes that agree are pooled by variance; one that differs is a contradiction', () => {
  const [newest, other] = [
    { lateMs: 12, doubtMs: 0.3 },
    { lateMs: 12.4, doubtMs: 0.6 },
  ];
  expect(poolTakes([newest, other])).toEqual({
    lateMs: expect.closeTo((12 * 4 + 12.4) / 5, 9),
    doubtMs: expect.closeTo(0.6 / Math.sqrt(5), 9),
    takes: 2,
    contradictedBy: null,
  });
  const odd = { lateMs: 16, doubtMs: 0.4 };
  expect(poolTakes([newest, odd, other])).toMatchObject({ takes: 2, contradictedBy: odd });
  expect(poolTakes([newest, other, odd])).toMatchObject({ takes: 2, contradictedBy: null });
  expect(() => poolTakes([])).toThrow('No takes');
});

test('a shift by whole samples is exact; by a fraction, a sine is preserved to -90 dB', () => {
  const sine = (delay: number) =>
    Float32Array.from({ length: 4800 }, (_, i) => Math.sin((2 * Math.PI * 5000 * (i - delay)) / 48_000));
  expect([...shiftSound(Float32Array.of(1, 2, 3, 4), -1)]).toEqual([2, 3, 4, 0]);
  expect([...shiftSound(Float32Array.of(1, 2, 3, 4), 2)]).toEqual([0, 0, 1, 2]);
  expect([...shiftSound(Float32Array.of(1, 2), -9)]).toEqual([0, 0]);
  for (const by of [0.5, 12.25, -590.4, -0.01]) {
    const [moved, wanted] = [shiftSound(sine(0), by), sine(by)];
    // Away from the ends, where the kernel has samples on both sides.
    for (let i = 700; i < 4100; i++) expect(Math.abs(moved[i]! - wanted[i]!)).toBeLessThan(10 ** (-90 / 20));
  }
});

test('a missing measurement is rejected', () => {
  expect(() => solveOffsets([late('a', NaN)], 'grid')).toThrow('No measurement for a');
  expect(() => solveOffsets([late('a', 1)], { id: 'b' })).toThrow('No measurement for b');
});

test('plain arithmetic: 12 ms is 529.2 samples at 44.1 kHz and 576 at 48 kHz; a tick at 120 BPM is 20.8333 ms', () => {
  expect(convertOffset(12, { sampleRate: 44_100, bpm: 120, rate: '25' }).samples).toBeCloseTo(529.2, 9);
  expect(convertOffset(-12, { sampleRate: 48_000, bpm: 120, rate: '25' }).samples).toBe(-576);
  expect(convertOffset(20.8333333, { sampleRate: 48_000, bpm: 120, rate: '25' }).ticks).toBeCloseTo(1, 6);
  expect(convertOffset(40, { sampleRate: 48_000, bpm: 120, rate: '25' }).frames).toBe(1);
});

test('durations are parsed in every unit musicians write', () => {
  const at = { sampleRate: 48_000, bpm: 120, rate: '25' as const };
  expect(parseDuration('12.3', at)).toBe(12.3);
  expect(parseDuration(' −12,3 ms', at)).toBe(-12.3);
  expect(parseDuration('576 smp', at)).toBeCloseTo(12, 9);
  expect(parseDuration('1/2 tick', at)).toBeCloseTo(500 / 48, 9);
  expect(parseDuration('2 fr', at)).toBe(80);
  for (const text of ['', 'ms', '12 apples', '1/0 tick', '--3', '12.']) expect(parseDuration(text, at)).toBeNull();
});
