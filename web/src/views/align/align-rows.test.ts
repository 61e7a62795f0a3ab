import type { Gear, Take, TakeLine } from '../../store/records';
import { gear } from '../../store/gear';
import { alignRows, needsApplying } from './align-rows';

const box = (offsetMs: number): Gear => gear({ id: 'box', name: 'Box', offsetMs });
const line = (medianMs: number, offsetMs: number, believable = true): TakeLine => ({
  gearId: 'box',
  name: 'Box',
  channel: 1,
  offsetMs,
  report: {
    medianMs,
    ci95Ms: [medianMs - 0.1, medianMs + 0.1],
    spreadMs: 0.3,
    matched: 32,
    missed: 0,
    extra: 0,
    believable,
  },
  landings: [],
  pulsesMs: [],
  onsetsMs: [],
});
const take = (...lines: TakeLine[]) => ({ lines }) as unknown as Take;

test('nothing measured: nothing to apply', () => {
  const [row] = alignRows([box(0)], []);
  expect(row).toMatchObject({ now: null, before: null, wantedMs: null });
  expect(needsApplying(row!)).toBe(false);
});

test('12.3 ms late with no offset: sent 12.3 ms earlier', () => {
  const [row] = alignRows([box(0)], [take(line(12.3, 0))]);
  expect(row!.wantedMs).toBeCloseTo(-12.3, 9);
  expect(needsApplying(row!)).toBe(true);
});

test('applied but not measured again: the old take stands as before, and nothing is proved', () => {
  const [row] = alignRows([box(-12.3)], [take(line(12.3, 0))]);
  expect(row).toMatchObject({ now: null, before: { offsetMs: 0 } });
  expect(needsApplying(row!)).toBe(false);
});

test('proved: the newest take with the offset in force, and the one before it with another', () => {
  const [row] = alignRows([box(-12.3)], [take(line(0.2, -12.3)), take(line(12.3, 0))]);
  expect(row).toMatchObject({ now: { offsetMs: -12.3 }, before: { offsetMs: 0 } });
  expect(needsApplying(row!)).toBe(false);
});

test('taken back: what was measured after the change is not shown as before it', () => {
  const [row] = alignRows([box(0)], [take(line(0.2, -12.3)), take(line(12.3, 0))]);
  expect(row).toMatchObject({ now: { offsetMs: 0 }, before: null });
  expect(row!.wantedMs).toBeCloseTo(-12.5, 9);
});

test('a take that is not to be believed moves nothing', () => {
  expect(alignRows([box(0)], [take(line(80, 0, false))])[0]).toMatchObject({ now: null, wantedMs: null });
});
