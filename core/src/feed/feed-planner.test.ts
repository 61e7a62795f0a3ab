import fc from 'fast-check';
import type { TimedMessage } from '../midi/message';
import { TempoMap } from '../tempo/tempo-map';
import { FeedPlanner } from './feed-planner';
import type { FeedSettings } from './feed-settings';

const settings = (change: Partial<FeedSettings> = {}): FeedSettings => ({
  sends: { clock: true, transport: true, position: true, timecode: null },
  offsetMs: 0,
  clockWhileStopped: false,
  ...change,
});
const even = (bpm: number) => new TempoMap([{ beat: 0, bpm }]);
const kinds = (messages: TimedMessage[]) => messages.map(({ message }) => message.kind);
const times = (messages: TimedMessage[], kind: string) =>
  messages.filter(({ message }) => message.kind === kind).map(({ atMs }) => atMs);

test('six hours of clock at 119.97 BPM: every tick within 1 us of the exact time, whatever the windows', () => {
  const planner = new FeedPlanner(even(119.97), settings({ offsetMs: -3.7 }));
  const startMs = 12_345.678;
  const lastsMs = 6 * 3_600_000;
  planner.start(startMs, 0);
  let tick = 0;
  let worstMs = 0;
  let window = 7;
  for (let fromMs = startMs - 100; fromMs < startMs + lastsMs;) {
    window = (window * 16_807) % 2_147_483_647; // Lehmer's generator: any windows will do, from 1 to 4 000 ms
    const toMs = fromMs + 1 + (window % 4000);
    for (const { atMs, message } of planner.plan(fromMs, toMs)) {
      if (message.kind !== 'clock') continue;
      // 60000 / (24 * 119.97) is 250000 / 11997: a ratio of whole numbers, rounded once.
      const exactMs = startMs - 3.7 + (tick * 250_000) / 11_997;
      worstMs = Math.max(worstMs, Math.abs(atMs - exactMs));
      if (atMs < fromMs || atMs >= toMs) throw new Error(`tick ${tick} left its window`);
      tick++;
    }
    fromMs = toMs;
  }
  expect(worstMs).toBeLessThan(0.001);
  expect(tick).toBeGreaterThanOrEqual(Math.floor((lastsMs * 11_997) / 250_000));
});

test('any split into windows gives the same messages as one window', () => {
  fc.assert(
    fc.property(
      fc.array(fc.double({ min: 0.01, max: 700, noNaN: true }), { minLength: 1, maxLength: 40 }),
      fc.double({ min: -50, max: 50, noNaN: true }),
      fc.boolean(),
      (lengths, offsetMs, clockWhileStopped) => {
        const run = (cuts: number[]) => {
          const planner = new FeedPlanner(even(131), settings({ offsetMs, clockWhileStopped }));
          planner.start(200, 2.3);
          planner.retime(even(77), 1200);
          planner.stop(2500);
          let fromMs = 0;
          return cuts.flatMap((length) => planner.plan(fromMs, (fromMs += length)));
        };
        const total = lengths.reduce((sum, length) => sum + length, 0);
        expect(run(lengths)).toEqual(run([total]));
      },
    ),
  );
});

test('start precedes the first tick, which is beat 0, by at least 1 ms', () => {
  const planner = new FeedPlanner(even(120), settings());
  planner.start(1000, 0);
  const sent = planner.plan(0, 1030);
  expect(kinds(sent)).toEqual(['songPosition', 'start', 'clock', 'clock']);
  expect(times(sent, 'clock')[0]).toBe(1000);
  expect(1000 - times(sent, 'start')[0]!).toBeGreaterThanOrEqual(1);
});

test('mid-song, a follower with song position continues on the next sixteenth', () => {
  const planner = new FeedPlanner(even(120), settings());
  planner.start(1000, 3.9);
  const sent = planner.plan(0, 1100);
  expect(sent.find(({ message }) => message.kind === 'songPosition')?.message).toEqual({
    kind: 'songPosition',
    sixteenths: 16,
  });
  expect(times(sent, 'continue')[0]).toBeCloseTo(1000 + 50 - 2, 9);
});

test('mid-song, a follower without song position starts on the next bar', () => {
  const sends = { clock: true, transport: true, position: false, timecode: null };
  const planner = new FeedPlanner(even(120), settings({ sends }));
  planner.start(1000, 3);
  expect(times(planner.plan(0, 2000), 'start')).toEqual([1498]);
});

test('an offset shifts every message, and changing it while rolling loses no tick and keeps their order', () => {
  const planner = new FeedPlanner(even(120), settings({ offsetMs: -12 }));
  planner.start(1000, 0);
  const before = planner.plan(0, 2000);
  expect(times(before, 'clock')[0]).toBe(988);
  planner.setOffset(-60);
  const after = planner.plan(2000, 4000);
  const all = times([...before, ...after], 'clock');
  expect(all).toEqual([...all].sort((a, b) => a - b));
  // Due before 4 000 with 60 ms of lead: the ticks of the grid before 4 060.
  expect(all).toHaveLength(Math.ceil((4060 - 1000) / (500 / 24)));
});

test('clock runs while stopped if wanted, and no two ticks come close together at a start', () => {
  const planner = new FeedPlanner(even(120), settings({ clockWhileStopped: true }));
  const idle = planner.plan(0, 1000);
  expect(times(idle, 'clock')).toHaveLength(48);
  planner.start(1007, 0);
  planner.stop(2007);
  const all = times([...idle, ...planner.plan(1000, 3000)], 'clock');
  const gaps = all.slice(1).map((atMs, i) => atMs - all[i]!);
  expect(Math.min(...gaps)).toBeGreaterThan(10);
  expect(Math.max(...gaps)).toBeLessThan(32);
});

test('only note-offs follow a stop, and no note hangs', () => {
  const notes = { channel: 10, barNote: 76, beatNote: 77, velocity: 100 };
  const sends = { clock: false, transport: false, position: false, timecode: null };
  const planner = new FeedPlanner(even(120), settings({ sends, notes }));
  planner.start(1000, 0);
  planner.stop(2510);
  const sent = planner.plan(0, 9000);
  expect(times(sent, 'noteOn')).toEqual([1000, 1500, 2000, 2500]);
  expect(times(sent, 'noteOff')).toEqual([1050, 1550, 2050, 2550]);
  expect(sent.filter(({ message }) => message.kind === 'noteOn').map(({ message }) => message)).toMatchObject([
    { note: 76 },
    { note: 77 },
    { note: 77 },
    { note: 77 },
  ]);
});

test('a tempo set while the clock idles changes its rate without a gap', () => {
  const planner = new FeedPlanner(even(120), settings({ clockWhileStopped: true }));
  planner.start(0, 0);
  planner.stop(1000);
  planner.retime(even(240), 9000);
  const all = times(planner.plan(-100, 10_000), 'clock');
  expect(all.filter((atMs) => atMs >= 9010)[0]! - all.filter((atMs) => atMs < 9010).at(-1)!).toBeLessThan(21);
  expect(all.at(-1)! - all.at(-2)!).toBeCloseTo(60_000 / 240 / 24, 6);
});
