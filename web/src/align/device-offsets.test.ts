import type { DeviceOffset, Gear, Rig, Take, TakeLine } from '../store/records';
import { boathouse } from '../store/boathouse';
import { newDeviceOffset, withDeviceOffset } from '../store/device-offsets';
import { gear } from '../store/gear';
import { planOffsets } from './align-rows';
import { adviseOffsets } from './device-offsets';

const NOTES: DeviceOffset = {
  id: 'n',
  shifts: 'notes',
  dependsOn: 'nothing',
  own: 0,
  unit: 'ms',
  plusIs: 'later',
  step: 0.5,
};
const line = (gearId: string, medianMs: number, more: Partial<TakeLine> = {}): TakeLine => ({
  gearId,
  name: gearId,
  channel: 1,
  offsetMs: 0,
  report: {
    medianMs,
    ci95Ms: [medianMs - 0.1, medianMs + 0.1],
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
const take = (drive: 'clock' | 'notes', lines: TakeLine[], more: Partial<Take> = {}) =>
  ({ lines, drive, startedAt: 1000, ...more }) as unknown as Take;
const rigOf = (...all: Gear[]): Rig => ({ ...boathouse(), bpm: 120, gear: all });
const box = (moreOffsets: DeviceOffset[], change: Partial<Gear> = {}): Gear =>
  gear({ id: 'box', name: 'Box', returnChannel: 1, syncsTo: 'clock', moreOffsets, ...change });

function adviceFor(rig: Rig, takes: Take[], id = 'box') {
  const row = planOffsets(rig, takes).rows.find((one) => one.gear.id === id);
  return adviseOffsets(row!, rig, takes);
}

test('clock and notes each have a take, and each a value of its own to enter', () => {
  const rig = rigOf(box([NOTES], { offset: { where: 'own', own: 0, unit: 'ms', plusIs: 'later', step: 1 } }));
  const takes = [take('notes', [line('box', 7.3)]), take('clock', [line('box', 20)])];
  const [row] = planOffsets(rig, takes).rows;
  expect(row).toMatchObject({ known: { lateMs: 20 }, wantedMs: -20, byNotes: { takes: 1 } });
  expect(adviceFor(rig, takes)[0]?.lateMs).toBeCloseTo(7.3, 9);
  expect(adviceFor(rig, takes)[0]?.toEnter?.value).toBe(-7.5);
  // Its sync is corrected by the hub instead: that moves its notes as well, so they are corrected the other way.
  const byHub = rigOf(box([NOTES]));
  expect(adviceFor(byHub, takes)[0]?.lateMs).toBeCloseTo(7.3 - 20, 9);
  expect(adviceFor(byHub, takes)[0]?.toEnter?.value).toBe(12.5);
});

test('nothing measured: no value to enter', () => {
  expect(adviceFor(rigOf(box([NOTES])), [take('clock', [line('box', 20)])])[0]).toMatchObject({
    lateMs: null,
    toEnter: null,
  });
});

test('a changed value makes earlier takes out of date, but only those that it moved', () => {
  const before = box([NOTES], { returnChannel: 1 });
  const changed: Gear = { ...before, ...withDeviceOffset(before, 'n', { own: -7.5 }, 5000) };
  const takes = [
    take('notes', [line('box', 7.3, { wiredTo: null })]),
    take('clock', [line('box', 20, { wiredTo: null })]),
  ];
  expect(planOffsets(rigOf(changed), takes).rows[0]).toMatchObject({ byNotes: null, known: { lateMs: 20 } });
  const again = take('notes', [line('box', -0.2, { wiredTo: null })], { startedAt: 6000 });
  expect(planOffsets(rigOf(changed), [again, ...takes]).rows[0]).toMatchObject({ byNotes: { lateMs: -0.2, takes: 1 } });
  const delayed = box([{ ...NOTES, shifts: 'audio', own: 3, changedAt: 5000 }]);
  expect(planOffsets(rigOf(delayed), takes).rows[0]).toMatchObject({
    byNotes: null,
    known: null,
    stale: 'another device offset has changed',
  });
  const unitOnly = withDeviceOffset(before, 'n', { unit: 'ticks' }, 5000).moreOffsets?.[0];
  expect(unitOnly).toEqual({ ...NOTES, unit: 'ticks' });
});

describe('a leader with an offset per output', () => {
  const toHarbor: DeviceOffset = {
    ...NOTES,
    id: 'o',
    shifts: 'clockOut',
    to: 'harbor',
    unit: 'samples',
    plusIs: 'earlier',
    step: 1,
    sampleRate: 96_000,
  };
  const leader = box([toHarbor, { ...toHarbor, id: 'p', to: 'gone' }]);
  const harbor = gear({ id: 'harbor', name: 'Harbor', returnChannel: 2 });
  const plan = { question: 'against', leader: 'Box', leaderId: 'box' } as const;
  const against = (ms: number, more: Partial<Take> = {}, of: Partial<TakeLine> = {}) =>
    take('clock', [line('harbor', ms, of)], { plan, ...more });

  test('each gets its value from how late its follower is against the leader’s sound', () => {
    const [harborOut, goneOut] = adviceFor(rigOf(leader, harbor), [against(5), against(80)]);
    // 5 ms at 96 kHz, and plus is earlier.
    expect(harborOut).toMatchObject({ lateMs: 5, toEnter: { value: 480 } });
    expect(goneOut).toMatchObject({ lateMs: null, toEnter: null });
  });

  test('takes of another leader, from before a change, or that aren’t reliable don’t count', () => {
    const lateMs = (takes: Take[], ...all: Gear[]) => adviceFor(rigOf(...all), takes)[0]?.lateMs;
    expect(lateMs([against(5, { plan: { ...plan, leaderId: 'other' } })], leader, harbor)).toBeNull();
    expect(lateMs([against(5)], { ...leader, changedAt: 2000 }, harbor)).toBeNull();
    expect(lateMs([against(5)], leader, { ...harbor, changedAt: 2000 })).toBeNull();
    expect(lateMs([against(5, {}, { ownOffset: 4 })], leader, harbor)).toBeNull();
    const moved = { ...leader, ...withDeviceOffset(leader, 'o', { own: 480 }, 2000) };
    expect(lateMs([against(5)], moved, harbor)).toBeNull();
    const unsure = against(5);
    unsure.lines[0]!.report!.believable = false;
    expect(lateMs([unsure, against(3)], leader, harbor)).toBe(3);
  });
});

test('a delay of all its sound starts from where the device lands now', () => {
  const rig = rigOf(box([{ ...NOTES, shifts: 'audio' }], { offsetMs: -4 }));
  expect(adviceFor(rig, [take('clock', [line('box', 6, { offsetMs: -4 })])])[0]).toMatchObject({
    lateMs: 6,
    toEnter: { value: -6 },
  });
});

test('a new offset takes the unit and sign of the device’s other offsets', () => {
  const one = box([{ ...NOTES, unit: 'samples', sampleRate: 44_100, own: 12 }]);
  expect(newDeviceOffset(one, 'x', { shifts: 'audio' })).toMatchObject({
    id: 'x',
    shifts: 'audio',
    own: 0,
    unit: 'samples',
    sampleRate: 44_100,
  });
});
