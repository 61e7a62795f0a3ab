import { trialVerdict } from '../parts/leader-words';
import { bestLeader, leaderFigures } from './leader-figures';
import type { ClockTake, Take } from './records';

const latency = (spreadMs: number, believable = true) => ({
  ...{ medianMs: 10, ci95Ms: [9, 11] as [number, number], spreadMs, believable },
  ...{ matched: 16, missed: 0, extra: 0 },
});
const line = (name: string, spreadMs: number, believable?: boolean) =>
  ({ name, report: latency(spreadMs, believable) }) as Take['lines'][number];
const take = (ledBy: string, lines: Take['lines'], change: Partial<Take> = {}): Take =>
  ({ ledBy, lines, status: 'done', source: 'live', drive: 'clock', ...change }) as Take;
const starts = (ledBy: string, spread: number): Take =>
  take(
    ledBy,
    [
      {
        name: 'Drums',
        result: { question: 'starts', report: { landsMs: { median: 9, least: 8, most: 10, spread }, failed: 1 } },
      } as Take['lines'][number],
    ],
    { plan: { question: 'starts', startedMs: [], fromBeat: 0 } },
  );
const clock = (gearId: string, jitterRmsMs: number, traffic = false): ClockTake =>
  ({
    gearIds: [gearId],
    ...(traffic && { traffic: { portId: 'p', quietId: 'q' } }),
    result: { report: { jitterRmsMs }, drift: { ppm: 38, told: true } },
  }) as ClockTake;

test('each candidate gets its own newest figures; what wasn’t measured is null', () => {
  const takes = [
    take('hub', [line('Drums', 0.4), line('Bass', 0.9)]),
    take('hub', [line('Drums', 9)]),
    starts('hub', 2.4),
    take('keys', [line('Drums', 0.5), line('Bass', 5, false)]),
  ];
  expect(leaderFigures(['hub', 'keys', 'box'], takes, [clock('keys', 0.42), clock('keys', 1.9, true)])).toEqual([
    {
      id: 'hub',
      ...{ clock: null, busy: null },
      followers: { worst: 'Bass', jitterMs: 0.9 },
      starts: { worst: 'Drums', spreadMs: 2.4, failed: 1 },
    },
    {
      id: 'keys',
      clock: { jitterMs: 0.42, ppm: 38, drifts: true },
      busy: { jitterMs: 1.9 },
      // An unreliable line counts for nothing.
      followers: { worst: 'Drums', jitterMs: 0.5 },
      starts: null,
    },
    { id: 'box', clock: null, busy: null, followers: null, starts: null },
  ]);
});

test.each([
  ['a take of another kind', { plan: { question: 'drift' } as const }],
  ['a take by notes', { drive: 'notes' as const }],
  ['a recording', { source: 'recording' as const }],
  ['a take that broke off', { status: 'interrupted' as const }],
])('%s says nothing of the leader', (_, change) => {
  const [figures] = leaderFigures(['hub'], [take('hub', [line('Drums', 0.4)], change)], []);
  expect(figures?.followers).toBeNull();
});

test('one leads best only if two were measured and clearly differ', () => {
  const of = (hub: number, keys: number) =>
    leaderFigures(['hub', 'keys'], [take('hub', [line('Drums', hub)]), take('keys', [line('Drums', keys)])], []);
  const nameOf = (id: string) => (id === 'hub' ? 'Hub' : 'Keys');
  expect(bestLeader(of(0.4, 1.1))?.id).toBe('hub');
  expect(bestLeader(of(1.1, 0.4))?.id).toBe('keys');
  expect(bestLeader(of(1, 1.2))).toBeNull();
  // A ratio of nothing to nothing.
  expect(bestLeader(of(0.02, 0.1))).toBeNull();
  expect(bestLeader(of(0.4, 1.1).slice(0, 1))).toBeNull();
  expect(trialVerdict(of(0.4, 1.1), nameOf)).toMatch(/^Hub leads best.*Hub 0.40 ms \(Drums\), Keys 1.10 ms/);
  expect(trialVerdict(of(1, 1.2), nameOf)).toMatch(/^No clear difference/);
  expect(trialVerdict(of(0.4, 1.1).slice(0, 1), nameOf)).toMatch(/^Only one leader measured/);
  expect(trialVerdict([], nameOf)).toMatch(/^Nothing measured yet/);
});
