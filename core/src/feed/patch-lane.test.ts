import { TempoMap } from '../tempo/tempo-map';
import { FeedPlanner } from './feed-planner';
import type { FeedSettings, Patch } from './feed-settings';
import { stepMs } from './trigger-lane';

const NOTHING = { clock: false, transport: false, position: false, timecode: null };
const patch = (fromBeat: number, program: number, leadMs = 150, bank: number | null = null): Patch => ({
  fromBeat,
  channel: 2,
  program,
  bank,
  leadMs,
});
const settings = (patches: Patch[], offsetMs = 0): FeedSettings => ({
  sends: NOTHING,
  offsetMs,
  clockWhileStopped: false,
  patches,
});

/** Programs with the time they are sent at, when the song starts at 1,000 ms from a beat at 120 BPM. */
function play(patches: Patch[], { fromBeat = 0, ms = 20_000, bpm = 120 } = {}) {
  const planner = new FeedPlanner(new TempoMap([{ beat: 0, bpm }]), settings(patches));
  planner.plan(0, 500);
  planner.start(1000, fromBeat);
  return { planner, sent: programs(planner.plan(500, ms)) };
}

const programs = (out: ReturnType<FeedPlanner['plan']>) =>
  out.flatMap(({ atMs, message }) => (message.kind === 'programChange' ? [[message.program, Math.round(atMs)]] : []));

test('at a start the patch of that place is sent before the first beat, and each later one ahead of its beat', () => {
  const { sent } = play([patch(0, 1), patch(16, 2), patch(32, 3)]);
  expect(sent.map(([program]) => program)).toEqual([1, 2, 3]);
  expect(sent[0]![1]).toBeLessThan(1000);
  expect(sent[1]![1]).toBe(1000 + 16 * 500 - 150);
  expect(sent[2]![1]).toBe(1000 + 32 * 500 - 150);
});

test('a start in mid-song sends the patch of that section only', () => {
  expect(play([patch(0, 1), patch(16, 2), patch(32, 3)], { fromBeat: 20, ms: 3000 }).sent).toEqual([
    [2, expect.any(Number)],
  ]);
});

test('a patch whose lead begins before the start is still sent, at once', () => {
  const { sent } = play([patch(0, 1), patch(8, 2)], { fromBeat: 7.75, ms: 3000 });
  expect(sent.map(([program]) => program)).toEqual([1, 2]);
  expect(sent[1]![1]).toBeLessThan(1125);
});

test('a bank is selected before its program: controllers 0 and 32, as in MIDI 1.0', () => {
  const planner = new FeedPlanner(new TempoMap([{ beat: 0, bpm: 120 }]), settings([patch(0, 5, 0, 300)]));
  planner.plan(0, 10);
  planner.locate(50, 4);
  expect(planner.plan(10, 100).map(({ message }) => message)).toEqual([
    { kind: 'controlChange', channel: 2, controller: 0, value: 2 },
    { kind: 'controlChange', channel: 2, controller: 32, value: 44 },
    { kind: 'programChange', channel: 2, program: 5 },
  ]);
});

test('a change while playing sends the new patch at once, and what stays the same not again', () => {
  const { planner } = play([patch(0, 1), patch(64, 3)], { ms: 3000 });
  planner.change(settings([patch(0, 9), patch(64, 3)]));
  expect(programs(planner.plan(3000, 4000)).map(([program]) => program)).toEqual([9]);
  planner.change(settings([patch(0, 9), patch(72, 3)]));
  expect(programs(planner.plan(4000, 5000))).toEqual([]);
});

test('after a tempo change, the patch comes ahead of where its beat is now', () => {
  const { planner } = play([patch(0, 1), patch(16, 2)], { ms: 2000 });
  planner.retime(new TempoMap([{ beat: 0, bpm: 60 }]), 3000);
  // Four beats at 120 BPM until then, twelve at 60.
  expect(programs(planner.plan(2000, 20_000))).toEqual([[2, 3000 + 12_000 - 150]]);
});

test('a fade of one second is longer than a beat at 143 BPM', () => {
  const trigger = { every: 1 as const, sends: { kind: 'note' as const, channel: 1, note: 1, velocity: 1 } };
  expect(stepMs(trigger, 143)).toBeCloseTo(419.6, 1);
  expect(stepMs({ ...trigger, slowsBelowBpm: 150 }, 143)).toBeCloseTo(839.2, 1);
  expect(stepMs({ ...trigger, every: 'bar' }, 120)).toBe(2000);
});
