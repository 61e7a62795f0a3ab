import fc from 'fast-check';
import { decodeMmc } from '../midi/mmc';
import type { TimedMessage } from '../midi/message';
import { MeterMap } from '../tempo/meter-map';
import { TempoMap } from '../tempo/tempo-map';
import { formatTimecode, type FrameRate } from '../timecode/timecode';
import { readFullFrame, readQuarterFrames } from '../timecode/timecode-messages';
import { FeedPlanner } from './feed-planner';
import type { FeedSettings } from './feed-settings';

const ONE_HOUR = { hours: 1, minutes: 0, seconds: 0, frames: 0 };
const settings = (sends: Partial<FeedSettings['sends']>, change: Partial<FeedSettings> = {}): FeedSettings => ({
  sends: { clock: false, transport: false, position: false, timecode: null, ...sends },
  offsetMs: 0,
  clockWhileStopped: false,
  ...change,
});
const even = (bpm: number) => new TempoMap([{ beat: 0, bpm }]);
const clock = { clock: true, transport: true, position: true };
const ofKind = (sent: TimedMessage[], kind: string) => sent.filter(({ message }) => message.kind === kind);
const times = (sent: TimedMessage[], kind: string) => ofKind(sent, kind).map(({ atMs }) => atMs);
const sysex = (sent: TimedMessage[]) => sent.flatMap(({ message }) => (message.kind === 'sysex' ? [message.data] : []));
const codes = (sent: TimedMessage[], rate: FrameRate) => {
  const nibbles = ofKind(sent, 'quarterFrame').map(({ message }) =>
    message.kind === 'quarterFrame' ? message.nibble : 0,
  );
  return Array.from({ length: Math.floor(nibbles.length / 8) }, (_, i) =>
    formatTimecode(readQuarterFrames(nibbles.slice(8 * i, 8 * i + 8))!.timecode, rate),
  );
};

test('a quarter frame at 25 fps is 10 ms; codes start at the chosen hour and name every second frame', () => {
  const planner = new FeedPlanner(even(120), settings({ timecode: '25' }, { timecodeStart: ONE_HOUR, offsetMs: -7 }));
  planner.start(1000, 0);
  const sent = planner.plan(0, 1993);
  expect(times(sent, 'quarterFrame')).toHaveLength(100);
  times(sent, 'quarterFrame').forEach((ms, i) => expect(ms).toBeCloseTo(993 + 10 * i, 9));
  expect(codes(sent, '25').slice(0, 2)).toEqual(['01:00:00:00', '01:00:00:02']);
});

test('drop-frame runs at 30000/1001 and skips the dropped numbers', () => {
  const planner = new FeedPlanner(even(120), settings({ timecode: '29.97df' }));
  planner.start(0, 0);
  const sent = planner.plan(0, 70_000);
  const quarters = times(sent, 'quarterFrame');
  expect(quarters[1200]!).toBeCloseTo((1200 / 4) * (1001 / 30), 6);
  expect(codes(sent, '29.97df').slice(899, 901)).toEqual(['00:00:59;28', '00:01:00;02']);
});

test('a tempo set by hand moves the ticks and leaves the code running', () => {
  const planner = new FeedPlanner(even(120), settings({ ...clock, timecode: '30' }));
  planner.start(0, 0);
  planner.retime(even(90), 1000);
  const sent = planner.plan(-10, 4000);
  times(sent, 'quarterFrame').forEach((ms, i) => expect(ms).toBeCloseTo((i / 120) * 1000, 6));
  expect(times(sent, 'clock').at(-1)! - times(sent, 'clock').at(-2)!).toBeCloseTo(60_000 / 90 / 24, 6);
});

test('at a speed of 1.04, ticks and code both run 4% fast', () => {
  const planner = new FeedPlanner(even(100), settings({ ...clock, timecode: '25' }));
  planner.start(0, 0, { speed: 1.04 });
  const sent = planner.plan(-10, 2000);
  times(sent, 'clock').forEach((ms, i) => expect(ms).toBeCloseTo((i * 25) / 1.04, 9));
  times(sent, 'quarterFrame').forEach((ms, i) => expect(ms).toBeCloseTo((i * 10) / 1.04, 9));
});

test('stop and locate send the whole position: full frame, song position, machine control', () => {
  const planner = new FeedPlanner(
    even(120),
    settings({ ...clock, timecode: '25', mmc: true }, { timecodeStart: ONE_HOUR }),
  );
  planner.start(0, 0);
  planner.stop(2020);
  planner.locate(2100, 8);
  planner.plan(0, 2000);
  const sent = planner.plan(2000, 3000);
  const kinds = sent.map(({ message }) => message.kind).filter((kind) => kind !== 'clock' && kind !== 'quarterFrame');
  expect(kinds).toEqual(['stop', 'sysex', 'sysex', 'songPosition', 'sysex', 'sysex']);
  const [mmcStop, stopped, mmcLocate, located] = sysex(sent);
  expect(decodeMmc(mmcStop!).commands).toEqual([{ kind: 'stop' }]);
  expect(formatTimecode(readFullFrame(stopped!)!.timecode, '25')).toBe('01:00:02:00');
  expect(decodeMmc(mmcLocate!).commands).toMatchObject([
    { kind: 'locate', position: { hours: 1, seconds: 4, frames: 0 } },
  ]);
  expect(formatTimecode(readFullFrame(located!)!.timecode, '25')).toBe('01:00:04:00');
  expect(ofKind(sent, 'songPosition')[0]!.message).toMatchObject({ sixteenths: 32 });
});

test('stopped just before it would have begun, the code stands where it stood', () => {
  const planner = new FeedPlanner(even(120), settings({ ...clock, timecode: '25' }, { timecodeStart: ONE_HOUR }));
  planner.locate(100, 2);
  planner.plan(0, 500);
  planner.start(1000, 8);
  planner.stop(995);
  const frames = sysex(planner.plan(500, 2000)).map((data) => formatTimecode(readFullFrame(data)!.timecode, '25'));
  expect(frames).toEqual(['01:00:01:00']);
});

test('a follower that would lose its position gets none while stopped', () => {
  const planner = new FeedPlanner(even(120), settings(clock, { positionWhileStopped: false }));
  planner.locate(10, 8);
  expect(planner.plan(0, 100)).toEqual([]);
});

test('machine control is located, plays and stops along with the grid', () => {
  const planner = new FeedPlanner(even(120), settings({ mmc: true }));
  planner.start(100, 0);
  planner.stop(1100);
  const sent = planner.plan(0, 2000);
  expect(sysex(sent).map((data) => decodeMmc(data).commands[0]!.kind)).toEqual(['locate', 'play', 'stop']);
});

test('half and double clock rate: the follower counts its own beats and sixteenths from the same position', () => {
  for (const clockRate of [0.5, 2] as const) {
    const planner = new FeedPlanner(even(120), settings(clock, { clockRate }));
    planner.start(1000, 4);
    const sent = planner.plan(0, 2001);
    expect(ofKind(sent, 'songPosition')[0]!.message).toMatchObject({ sixteenths: 16 * clockRate });
    expect(times(sent, 'clock')).toHaveLength(48 * clockRate + 1);
    expect(times(sent, 'clock').at(-1)).toBeCloseTo(2000, 9);
  }
});

test('count-in: the click sounds, a continuous clock runs, and the follower starts after it', () => {
  const notes = { channel: 10, barNote: 76, beatNote: 77, velocity: 100 };
  const waiting = new FeedPlanner(even(120), settings(clock));
  const always = new FeedPlanner(even(120), settings(clock, { clockWhileStopped: true }));
  const click = new FeedPlanner(even(120), settings({}, { notes }));
  const [one, two, three] = [waiting, always, click].map((planner) => {
    planner.start(1000, -8, { countInTo: 0 });
    return planner.plan(0, 6000);
  });
  expect(times(one!, 'start')).toEqual([4998]);
  expect(times(one!, 'clock')[0]).toBeCloseTo(5000, 9);
  expect(times(two!, 'start')).toEqual([4998]);
  expect(times(two!, 'clock').filter((ms) => ms >= 1000 && ms < 5000)).toHaveLength(8 * 24);
  expect(times(three!, 'noteOn').slice(0, 9)).toEqual([1000, 1500, 2000, 2500, 3000, 3500, 4000, 4500, 5000]);
  expect(ofKind(three!, 'noteOn').map(({ message }) => message.kind === 'noteOn' && message.note === 76)).toEqual(
    [0, 1, 2, 3, 4, 5, 6, 7, 8, 9].map((i) => i % 4 === 0),
  );
});

test('timecode rolls during the count-in if there is code before the song, and waits if there is none', () => {
  const run = (timecodeStart: FeedSettings['timecodeStart']) => {
    const planner = new FeedPlanner(even(120), settings({ timecode: '25' }, { timecodeStart }));
    planner.start(1000, -8, { countInTo: 0 });
    return planner.plan(0, 6000);
  };
  expect(codes(run(ONE_HOUR), '25')[0]).toBe('00:59:56:00');
  expect(times(run(undefined), 'quarterFrame')[0]).toBeCloseTo(5000, 6);
});

test('in 7/8 a start-only follower joins on the next bar, even if the tempo changes while it waits', () => {
  const meter = new MeterMap([{ bar: 1, beatsPerBar: 7, beatUnit: 8 }]);
  const planner = new FeedPlanner(even(120), settings({ clock: true, transport: true }), meter);
  planner.start(0, 1);
  planner.retime(even(60), 500); // at beat 2, one and a half before the bar
  const sent = planner.plan(-100, 4000);
  expect(times(sent, 'start')).toEqual([1998]);
  expect(times(sent, 'clock')[0]).toBeCloseTo(2000, 9);
});

test('nudging a follower by 3% moves it 30 ms per second, forward and back, without losing a tick', () => {
  const planner = new FeedPlanner(even(120), settings(clock));
  planner.start(0, 0);
  const sent = planner.plan(-10, 1000);
  planner.nudge(0.03);
  sent.push(...planner.plan(1000, 2000));
  planner.nudge(0);
  expect(planner.offsetMs).toBeCloseTo(-30, 0);
  sent.push(...planner.plan(2000, 3000));
  planner.nudge(-0.03);
  sent.push(...planner.plan(3000, 4000));
  planner.nudge(0);
  expect(planner.offsetMs).toBeCloseTo(0, 0);
  const ticks = times([...sent, ...planner.plan(4000, 5000)], 'clock');
  const gaps = ticks.slice(1).map((ms, i) => (ms - ticks[i]!) / (500 / 24));
  expect(Math.min(...gaps)).toBeGreaterThan(1 / 1.031);
  expect(Math.max(...gaps)).toBeLessThan(1 / 0.969);
  expect(ticks).toHaveLength(Math.ceil((5000 - planner.offsetMs) / (500 / 24)));
});

test('the output doesn’t depend on the windows, whatever is sent', () => {
  const rate = fc.constantFrom<FrameRate>('24', '25', '29.97df', '30');
  const windows = fc.array(fc.double({ min: 0.01, max: 400, noNaN: true }), { minLength: 1, maxLength: 30 });
  fc.assert(
    fc.property(windows, rate, fc.constantFrom<0.5 | 1 | 2>(0.5, 1, 2), (lengths, timecode, clockRate) => {
      const run = (cuts: number[]) => {
        const planner = new FeedPlanner(even(131), settings({ ...clock, timecode, mmc: true }, { clockRate }));
        planner.start(200, -2, { countInTo: 0, speed: 1.01 });
        planner.retime(even(77), 1200, 0.98);
        planner.stop(2500);
        planner.locate(2600, 12);
        let fromMs = 0;
        return cuts.flatMap((length) => planner.plan(fromMs, (fromMs += length)));
      };
      const total = lengths.reduce((sum, length) => sum + length, 0);
      expect(run(lengths)).toEqual(run([total]));
    }),
  );
});

test('past the last addressable song position, a follower continues in time without one', () => {
  const planner = new FeedPlanner(even(120), settings(clock));
  planner.start(0, 5000);
  const kinds = planner.plan(-10, 30).map(({ message }) => message.kind);
  expect(kinds).toEqual(['continue', 'clock', 'clock']);
});

test('a start timecode that doesn’t exist is rejected', () => {
  const timecodeStart = { hours: 0, minutes: 1, seconds: 0, frames: 0 };
  expect(() => new FeedPlanner(even(120), settings({ timecode: '29.97df' }, { timecodeStart }))).toThrow(
    'doesn’t exist in drop-frame',
  );
});
