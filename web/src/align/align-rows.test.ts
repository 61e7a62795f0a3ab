import type { Gear, Rig, Take, TakeLine } from '../store/records';
import { boathouse } from '../store/boathouse';
import { gear } from '../store/gear';
import { planOffsets, alignStatus, worstOf } from './align-rows';

const box = (offsetMs: number, more: Partial<Gear> = {}): Gear =>
  gear({ id: 'box', name: 'Box', offsetMs, returnChannel: 1, ...more });
const rigOf = (gear: Gear[], align: Partial<Rig['align']> = {}): Rig => {
  const demo = boathouse();
  return { ...demo, gear, align: { ...demo.align, ...align } };
};
const line = (medianMs: number, offsetMs: number, more: Partial<TakeLine> = {}, halfMs = 0.1): TakeLine => ({
  gearId: 'box',
  name: 'Box',
  channel: 1,
  offsetMs,
  report: {
    medianMs,
    ci95Ms: [medianMs - halfMs, medianMs + halfMs],
    spreadMs: 0.3,
    matched: 32,
    missed: 0,
    extra: 0,
    believable: true,
  },
  landings: [],
  pulsesMs: [],
  onsetsMs: [],
  ...more,
});
const take = (...lines: TakeLine[]) => ({ lines, drive: 'clock' }) as unknown as Take;
const rowOf = (rig: Rig, takes: Take[], bufferMs?: number) => planOffsets(rig, takes, { bufferMs }).rows[0]!;

test('nothing measured: nothing to apply', () => {
  const row = rowOf(rigOf([box(0)]), []);
  expect(row).toMatchObject({ now: null, before: null, wantedMs: null });
  expect(alignStatus(row, 1)).toBe('unmeasured');
});

test('12.3 ms late without an offset: sent 12.3 ms earlier', () => {
  const row = rowOf(rigOf([box(0)]), [take(line(12.3, 0))]);
  expect(row.wantedMs).toBeCloseTo(-12.3, 9);
  expect(alignStatus(row, 1)).toBe('apply');
});

test('applied but not measured again: the old take becomes "before", and nothing is confirmed', () => {
  const row = rowOf(rigOf([box(-12.3)]), [take(line(12.3, 0))]);
  expect(row).toMatchObject({ now: null, before: { offsetMs: 0 } });
  expect(alignStatus(row, 1)).toBe('applied');
});

test('confirmed: the newest take with the current offset, and the previous one with another', () => {
  const row = rowOf(rigOf([box(-12.3)]), [take(line(0.2, -12.3)), take(line(12.3, 0))]);
  expect(row).toMatchObject({ now: { offsetMs: -12.3 }, before: { offsetMs: 0 }, known: { takes: 2 } });
  expect(alignStatus(row, 1)).toBe('there');
});

test('a device with its own offset on a shared wire: the value to enter counts what the wire is sent', () => {
  const own = { where: 'own', own: 0, unit: 'ms', plusIs: 'later', step: 1 } as const;
  const drums = box(0, { id: 'drums', portId: 'port 1', syncsTo: 'clock' });
  const sampler = box(0, { portId: 'port 1', syncsTo: 'clock', offset: own });
  const both = take(line(12, 0, { gearId: 'drums' }), line(40, 0));
  const [first, second] = planOffsets(rigOf([drums, sampler]), [both]).rows;
  expect(first).toMatchObject({ wantedMs: -12, hubMs: -12 });
  expect(second).toMatchObject({ wantedMs: -40, hubMs: -12 });
  expect(alignStatus(second!, 1)).toBe('type');
  const entered = { ...sampler, offset: { ...own, own: -28 } };
  const after = planOffsets(rigOf([drums, entered]), [take(line(12, 0, { gearId: 'drums' }), line(12, 0))]);
  expect(after.rows.map((row) => alignStatus(row, 1))).toEqual(['apply', 'applied']);
  const applied = rigOf([
    { ...drums, offsetMs: -12 },
    { ...entered, offsetMs: -12 },
  ]);
  expect(alignStatus(planOffsets(applied, [take(line(0, -12, { gearId: 'drums' }), line(0, -12))]).rows[1]!, 1)).toBe(
    'there',
  );
});

test('undone: a measurement after the change isn’t shown as "before", but counts', () => {
  const row = rowOf(rigOf([box(0)]), [take(line(0.2, -12.3)), take(line(12.3, 0))]);
  expect(row).toMatchObject({ now: { offsetMs: 0 }, before: null });
  expect(row.wantedMs).toBeCloseTo(-12.4, 9);
});

test('an unreliable take, or one whose offset moved during it, moves nothing', () => {
  const unsure = line(80, 0);
  const report = { ...unsure.report!, believable: false };
  expect(rowOf(rigOf([box(0)]), [take({ ...unsure, report })])).toMatchObject({ now: null, wantedMs: null });
  expect(rowOf(rigOf([box(0)]), [take(line(5, 0, { moved: true }))])).toMatchObject({ now: null, wantedMs: null });
});

test('a follower whose target is within its interval isn’t moved', () => {
  expect(alignStatus(rowOf(rigOf([box(0)]), [take(line(0.9, 0, {}, 1.1))]), 1)).toBe('there');
  expect(alignStatus(rowOf(rigOf([box(0)]), [take(line(0.9, 0, {}, 0.2))]), 1)).toBe('apply');
});

test('two contradicting takes apply nothing until a third decides', () => {
  const two = [take(line(16, 0)), take(line(12, 0))];
  expect(alignStatus(rowOf(rigOf([box(0)]), two), 1)).toBe('contradicted');
  expect(alignStatus(rowOf(rigOf([box(0)]), [take(line(16.1, 0)), ...two]), 1)).toBe('apply');
});

test('out of date: a measurement on another port, or with other buffers, doesn’t count, and says why', () => {
  const moved = rowOf(rigOf([box(0, { portId: 'p2' })]), [take(line(12, 0, { wiredTo: 'p1' }))]);
  expect(moved).toMatchObject({ known: null, stale: 'output port has changed' });
  const then = { ...take(line(12, 0)), conditions: { version: '1', bufferMs: 12 } };
  expect(rowOf(rigOf([box(0)]), [then], 40).stale).toContain('audio buffer');
  expect(rowOf(rigOf([box(0)]), [then], 13).stale).toBeNull();
});

test('locked offsets stay, device offsets are to be entered, and gear driven by notes goes by those takes', () => {
  const takes = [take(line(12.3, 0))];
  expect(rowOf(rigOf([box(0)], { locked: ['box'] }), takes)).toMatchObject({ wantedMs: 0, limit: 'locked' });
  const place = { where: 'own' as const, own: 0, unit: 'ms' as const, plusIs: 'later' as const, step: 1 };
  const own = rowOf(rigOf([box(0, { offset: place })]), takes);
  expect(own.wantedMs).toBe(-12);
  expect(alignStatus(own, 1)).toBe('type');
  // Only offsets applied by the hub add pre-roll.
  expect(planOffsets(rigOf([box(0, { offset: place })]), takes).preRollMs).toBe(0);
  expect(planOffsets(rigOf([box(0)]), takes).preRollMs).toBeCloseTo(12.3, 9);
  const byNotes = { ...take(line(7, 0)), drive: 'notes' as const };
  expect(rowOf(rigOf([box(0)]), [byNotes, ...takes])).toMatchObject({
    known: { lateMs: 12.3 },
    byNotes: { lateMs: 7 },
  });
  expect(rowOf(rigOf([box(0, { syncsTo: 'nothing' })]), [byNotes, ...takes]).known!.lateMs).toBe(7);
});

test('takes of other experiments don’t count', () => {
  const chase = { ...take(line(40, 0)), plan: { question: 'drift' as const } };
  expect(rowOf(rigOf([box(0)]), [chase]).known).toBeNull();
});

test('aligned to the slowest, and to a device that isn’t measured', () => {
  const two = [box(0), box(0, { id: 'slow', name: 'Slow' })];
  const takes = [take(line(12, 0), line(30, 0, { gearId: 'slow' }))];
  const { rows } = planOffsets(rigOf(two, { target: 'latest' }), takes);
  expect(rows.map(({ wantedMs }) => wantedMs)).toEqual([expect.closeTo(18, 9), 0]);
  expect(worstOf(rows)).toMatchObject({ awayMs: expect.closeTo(-18, 9), row: { gear: { id: 'box' } } });
  const lacking = planOffsets(rigOf(two, { target: { id: 'slow' } }), [take(line(12, 0))]);
  expect(lacking.problem).toContain('Slow has no reliable take yet');
});
