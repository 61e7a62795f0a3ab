import type { TimedMessage } from '../midi/message';
import { MeterMap } from '../tempo/meter-map';
import { TempoMap } from '../tempo/tempo-map';
import { FeedPlanner } from './feed-planner';
import type { BeatTrigger, TriggerMessage, TriggerStep } from './feed-settings';

const silent = { clock: false, transport: false, position: false, timecode: null };
const steps = (every: TriggerStep, count: number, more: Partial<BeatTrigger> = {}): BeatTrigger => ({
  every,
  sends: { kind: 'steps', channel: 2, controller: 20, count },
  ...more,
});
const note = (number: number): TriggerMessage => ({ kind: 'note', channel: 1, note: number, velocity: 100 });
/** The output of four bars of 4/4 at a tempo. */
function play(
  trigger: BeatTrigger,
  { bpm = 120, beats = 16, fromBeat = 0, meter = new MeterMap() } = {},
): TimedMessage[] {
  const map = new TempoMap([{ beat: 0, bpm }]);
  const planner = new FeedPlanner(
    map,
    { sends: silent, offsetMs: 0, clockWhileStopped: false, triggers: [trigger] },
    meter,
  );
  planner.start(100, fromBeat);
  planner.stop(100 + map.msAt(fromBeat + beats) - map.msAt(fromBeat) - 0.5);
  return planner.plan(0, 60_000);
}
const values = (sent: TimedMessage[]) =>
  sent.flatMap(({ message }) => (message.kind === 'controlChange' ? [message.value] : []));

test('a 4/4 bar divided by 3 ticks is 32 steps, a quarter is 8 of them, by 6 ticks it is 4 (plain arithmetic)', () => {
  expect(values(play(steps(1 / 8, 32), { beats: 4 }))).toEqual(Array.from({ length: 32 }, (_, i) => i));
  expect(values(play(steps(1 / 8, 8), { beats: 2 }))).toEqual([0, 1, 2, 3, 4, 5, 6, 7, 0, 1, 2, 3, 4, 5, 6, 7]);
  expect(values(play(steps(1 / 4, 4), { beats: 2 }))).toEqual([0, 1, 2, 3, 0, 1, 2, 3]);
});

test.each<[TriggerStep, number]>([
  ['bar', 4],
  [4, 4],
  [2, 8],
  [1, 16],
  [1 / 2, 32],
  [1 / 4, 64],
  [1 / 8, 128],
  [1 / 16, 256],
])('every %s it fires %d times in four bars, evenly and on the grid', (every, count) => {
  const sent = play(steps(every, 128));
  expect(sent).toHaveLength(count);
  const gapMs = 8000 / count;
  sent.forEach(({ atMs }, i) => expect(atMs).toBeCloseTo(100 + i * gapMs, 6));
});

test('steps follow the song position, so they are the same after a locate', () => {
  expect(values(play(steps(1, 8), { fromBeat: 5, beats: 4 }))).toEqual([5, 6, 7, 0]);
});

test('bars follow the time signature', () => {
  const meter = new MeterMap([{ bar: 1, beatsPerBar: 7, beatUnit: 8 }]);
  const sent = play(steps('bar', 128), { beats: 14, meter });
  expect(sent.map(({ atMs }) => Math.round(atMs - 100))).toEqual([0, 1750, 3500, 5250]);
});

test('below its tempo limit it fires half as often, below half of that a quarter as often', () => {
  const count = (bpm: number) => play(steps(1, 128, { slowsBelowBpm: 90 }), { bpm }).length;
  expect([count(120), count(90), count(79.3), count(44)]).toEqual([16, 16, 8, 4]);
});

test('a section can turn it off, or change its rate', () => {
  const changes = [
    { fromBeat: 4, every: 'off' as const },
    { fromBeat: 8, every: 2 as const },
  ];
  const sent = play(steps(1, 128, { changes }));
  expect(sent.map(({ atMs }) => (atMs - 100) / 500)).toEqual([0, 1, 2, 3, 8, 10, 12, 14]);
});

test('notes are released, and start and stop messages are sent', () => {
  const set = { kind: 'controller' as const, channel: 1, controller: 7, value: 127 };
  const sent = play({ every: 'bar', sends: note(60), atStart: set, atStop: { ...set, value: 0 } }, { beats: 8 });
  const kinds = sent.map(({ message }) => message.kind);
  expect(kinds.filter((kind) => kind === 'noteOn')).toHaveLength(2);
  expect(kinds.filter((kind) => kind === 'noteOff')).toHaveLength(2);
  expect(sent[0]!.message).toMatchObject({ kind: 'controlChange', value: 127 });
  expect(values(sent)).toEqual([127, 0]);
});

test('several messages at the start and at the stop, of any kind; a note among them is let go of', () => {
  const at = (controller: number): TriggerMessage => ({ kind: 'controller', channel: 1, controller, value: 9 });
  const program: TriggerMessage = { kind: 'program', channel: 1, program: 4 };
  const sent = play(
    { every: 'bar', sends: note(60), atStart: [at(1), program], atStop: [note(70), at(2)] },
    { beats: 4 },
  );
  const kinds = sent.map(({ message }) => message.kind);
  expect(kinds.slice(0, 2)).toEqual(['controlChange', 'programChange']);
  const ends = sent
    .filter(({ message }) => 'note' in message && message.note === 70)
    .map(({ message }) => message.kind);
  expect(ends).toEqual(['noteOn', 'noteOff']);
});

test('below its lowest tempo a trigger is off', () => {
  const trigger = { every: 1 as const, sends: note(60), offBelowBpm: 100 };
  const notes = (bpm: number) =>
    play(trigger, { beats: 8, bpm }).filter(({ message }) => message.kind === 'noteOn').length;
  expect([notes(120), notes(90)]).toEqual([8, 0]);
});
