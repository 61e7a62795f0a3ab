import fc from 'fast-check';
import { convertOffset } from './convert-offset';
import { parseDuration } from './parse-duration';
import { solveOffsets } from './solve-offsets';

const late = (id: string, lateMs: number, currentOffsetMs = 0) => ({ id, lateMs, currentOffsetMs });

test('onto the grid: 12.3 ms late is sent 12.3 ms earlier, and the earliest sets the pre-roll', () => {
  const { offsets, preRollMs } = solveOffsets([late('a', 12.3), late('b', -2), late('c', 1, -20)], 'grid');
  expect(offsets.map(({ offsetMs }) => offsetMs)).toEqual([-12.3, 2, -21]);
  expect(offsets.map(({ expectedMs }) => expectedMs)).toEqual([0, 0, 0]);
  expect(preRollMs).toBe(21);
});

test('with the slowest nobody is sent earlier than now; with a chosen one, that one stays', () => {
  const readings = [late('a', 5, -3), late('b', 30), late('c', 12)];
  expect(solveOffsets(readings, 'latest').offsets.map(({ offsetMs }) => offsetMs)).toEqual([22, 0, 18]);
  expect(solveOffsets(readings, { id: 'c' }).offsets).toEqual([
    { id: 'a', offsetMs: 4, expectedMs: 12 },
    { id: 'b', offsetMs: -18, expectedMs: 12 },
    { id: 'c', offsetMs: 0, expectedMs: 12 },
  ]);
});

test('what a follower can take is kept, and what is left over is said', () => {
  const [offset] = solveOffsets([{ ...late('a', 12.3), resolutionMs: 1, earliestMs: -10 }], 'grid').offsets;
  expect(offset?.offsetMs).toBe(-10);
  expect(offset?.expectedMs).toBeCloseTo(2.3, 9);
});

test('applying twice changes nothing more than the resolution, and nobody is left worse than the worst', () => {
  const reading = fc.record({
    lateMs: fc.double({ min: -50, max: 80, noNaN: true }),
    currentOffsetMs: fc.double({ min: -50, max: 50, noNaN: true }),
  });
  fc.assert(
    fc.property(fc.array(reading, { minLength: 1, maxLength: 12 }), fc.constantFrom(0.1, 1), (list, resolutionMs) => {
      const readings = list.map((one, i) => ({ ...one, id: String(i), resolutionMs }));
      const once = solveOffsets(readings, 'grid').offsets;
      const again = solveOffsets(
        readings.map((one, i) => ({ ...one, lateMs: once[i]!.expectedMs, currentOffsetMs: once[i]!.offsetMs })),
        'grid',
      ).offsets;
      again.forEach(({ offsetMs }, i) =>
        expect(Math.abs(offsetMs - once[i]!.offsetMs)).toBeLessThanOrEqual(resolutionMs + 1e-9),
      );
      const worst = Math.max(...readings.map(({ lateMs }) => Math.abs(lateMs)));
      once.forEach(({ expectedMs }) =>
        expect(Math.abs(expectedMs)).toBeLessThanOrEqual(Math.max(worst, resolutionMs / 2) + 1e-9),
      );
    }),
  );
});

test('what was not measured is refused', () => {
  expect(() => solveOffsets([late('a', NaN)], 'grid')).toThrow('not measured');
  expect(() => solveOffsets([late('a', 1)], { id: 'b' })).toThrow('no reading of b');
});

test('plain arithmetic: 12 ms is 529.2 samples at 44.1 kHz and 576 at 48 kHz; a tick at 120 BPM is 20.8333 ms', () => {
  expect(convertOffset(12, { sampleRate: 44_100, bpm: 120, rate: '25' }).samples).toBeCloseTo(529.2, 9);
  expect(convertOffset(-12, { sampleRate: 48_000, bpm: 120, rate: '25' }).samples).toBe(-576);
  expect(convertOffset(20.8333333, { sampleRate: 48_000, bpm: 120, rate: '25' }).ticks).toBeCloseTo(1, 6);
  expect(convertOffset(40, { sampleRate: 48_000, bpm: 120, rate: '25' }).frames).toBe(1);
});

test('durations are read in every unit that musicians write', () => {
  const at = { sampleRate: 48_000, bpm: 120, rate: '25' as const };
  expect(parseDuration('12.3', at)).toBe(12.3);
  expect(parseDuration(' −12,3 ms', at)).toBe(-12.3);
  expect(parseDuration('576 smp', at)).toBeCloseTo(12, 9);
  expect(parseDuration('1/2 tick', at)).toBeCloseTo(500 / 48, 9);
  expect(parseDuration('2 fr', at)).toBe(80);
  for (const text of ['', 'ms', '12 apples', '1/0 tick', '--3', '12.']) expect(parseDuration(text, at)).toBeNull();
});
