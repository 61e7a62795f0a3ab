import { apartText, behindText, standsText } from './apart-words';

const rolling = (by: 'clock' | 'timecode', lateMs: number, counted = true) => ({
  ...{ kind: 'rolling' as const, by, lateMs, ci95Ms: [lateMs - 0.2, lateMs + 0.2] as [number, number] },
  ...{ jitterMs: 0.5, landingsMs: [], counted, drifts: false },
});

test.each([
  [rolling('clock', 2.3), '2.3 ms late ± 0.20'],
  [rolling('clock', -1000 - 4), '2 beats ahead, 4.0 ms early ± 0.20'],
  [rolling('clock', 503), '1 beat behind, 3.0 ms late ± 0.20'],
  [rolling('clock', 2.3, false), '2.3 ms late ± 0.20, or whole ticks more,'],
  // A frame is no part of a beat, and another position isn’t lateness.
  [rolling('timecode', 503), '503.0 ms late ± 0.20'],
  [rolling('timecode', -3_600_012), '3,600.01 s ahead'],
])('rolling at 120 BPM: %j', (apart, words) => expect(apartText(apart, 120)).toBe(words));

test.each([
  [{ kind: 'stopped' as const, beats: 0.7 / 24 }, 'same position'],
  [{ kind: 'stopped' as const, beats: 2 + 3 / 24 }, '2 beats 3 ticks ahead'],
  [{ kind: 'stopped' as const, beats: -4 }, '4 beats behind'],
  [{ kind: 'stopped' as const, ms: 20 }, 'same position'],
  [{ kind: 'stopped' as const, ms: -12_040 }, '12.04 s behind'],
])('stopped: %j', (apart, words) => expect(standsText(apart)).toBe(words));

test('one timecode and another: milliseconds, or seconds when they are elsewhere', () => {
  const behind = { id: 'b', lateMs: 12.4, ci95Ms: [12.2, 12.6] as [number, number], jitterMs: 0.31 };
  const words = (change: object) =>
    behindText({ ...behind, landingsMs: [], counted: true, drifts: false, ...change }, 'Tape');
  expect(words({})).toBe('12.40 ± 0.20 ms behind Tape, jitter 0.31 ms');
  expect(words({ lateMs: -12.4, ci95Ms: [-12.6, -12.2] })).toBe('12.40 ± 0.20 ms ahead of Tape, jitter 0.31 ms');
  expect(words({ lateMs: 60_000 })).toBe('60.00 s behind Tape');
  expect(words({ drifts: true })).toBe('drifting from Tape, jitter 0.31 ms');
});
