import { seededRandom } from '../standin/random';
import { FRAME_RATES, formatTimecode, framesToTimecode, type FrameRate } from '../timecode/timecode';
import { fullFrameMessage, quarterFrameNumber } from '../timecode/timecode-messages';
import { TimecodeFollower } from './timecode-follower';

const RATES: FrameRate[] = ['24', '25', '29.97df', '30'];
const { abs } = Math;

/** A sender that starts rolling from `fromFrame` at 1000 ms; quarter frames with normally distributed jitter. */
function sender(rate: FrameRate, fromFrame: number, { speed = 1, noiseMs = 1, seed = 1, phase = 0 } = {}) {
  const { normal } = seededRandom(seed);
  const perMs = (FRAME_RATES[rate].perSecond * 4 * speed) / 1000;
  const quarterAt = (ms: number) => fromFrame * 4 + (ms - 1000) * perMs;
  const first = speed > 0 ? Math.ceil(fromFrame * 4) : Math.floor(fromFrame * 4);
  return {
    secondsAt: (ms: number) => quarterAt(ms) / 4 / FRAME_RATES[rate].perSecond,
    /** The messages due in a stretch of time, with their arrival times. */
    sent: (fromMs: number, toMs: number) => {
      const out: { atMs: number; message: ReturnType<typeof quarterFrameNumber> }[] = [];
      for (let quarter = first; ; quarter += Math.sign(speed)) {
        const ms = 1000 + (quarter - fromFrame * 4) / perMs;
        if (ms >= toMs) return out;
        if (ms >= fromMs)
          out.push({ atMs: ms + noiseMs * normal(), message: quarterFrameNumber(quarter, rate, phase) });
      }
    },
  };
}

describe.each(RATES)('%s', (rate) => {
  test.each([1, -1])(
    'direction %i: locked with the first complete code, and within 0.5 ms a second later, with 1 ms of noise',
    (speed) => {
      for (let seed = 1; seed <= 40; seed++) {
        const { sent, secondsAt } = sender(rate, 107_895 + seed / 7, { speed, seed });
        const one = new TimecodeFollower();
        let complete = 0;
        let pieces = 0;
        for (const { atMs, message } of sent(1000, 9000)) {
          if (message.piece === (speed > 0 ? 0 : 7)) pieces = 1;
          else if (pieces > 0) pieces++;
          one.push(message, atMs);
          if (pieces === 8 && complete === 0) complete = atMs;
          if (complete > 0) expect(one.at(atMs)).toMatchObject({ state: 'locked', rate, rolling: true });
          if (complete > 0 && atMs > complete + 1000) {
            expect(abs(one.at(atMs).seconds! - secondsAt(atMs)) * 1000).toBeLessThan(0.5);
            break;
          }
        }
        expect(complete).toBeGreaterThan(0);
      }
    },
  );

  test('the code shown is the current one, not the one from two frames ago', () => {
    const { sent } = sender(rate, 100, { noiseMs: 0 });
    const one = new TimecodeFollower();
    for (const { atMs, message } of sent(1000, 2000)) one.push(message, atMs);
    const frame = 100 + Math.floor(0.999 * FRAME_RATES[rate].perSecond);
    expect(one.at(1999).timecode).toEqual(framesToTimecode(frame, rate));
  });
});

test('a sender that names odd frames is followed too', () => {
  const { sent, secondsAt } = sender('25', 1001, { phase: 4, noiseMs: 0 });
  const one = new TimecodeFollower();
  for (const { atMs, message } of sent(1000, 2000)) one.push(message, atMs);
  expect(one.at(2000).seconds).toBeCloseTo(secondsAt(2000), 9);
});

test('a full frame locates immediately; rolling from there locks after one code', () => {
  const one = new TimecodeFollower();
  one.push(fullFrameMessage({ hours: 1, minutes: 2, seconds: 3, frames: 4 }, '25'), 500);
  expect(one.at(500)).toMatchObject({ state: 'locked', rolling: false, rate: '25', speed: 0 });
  expect(one.at(500).seconds).toBeCloseTo(3723.16, 9);
  for (const { atMs, message } of sender('25', 3723.16 * 25, { noiseMs: 0 }).sent(1000, 1160)) one.push(message, atMs);
  expect(one.at(1160)).toMatchObject({ state: 'locked', rolling: true });
  one.push(fullFrameMessage({ hours: 0, minutes: 0, seconds: 9, frames: 0 }, '25'), 1170);
  expect(one.at(1170)).toMatchObject({ seconds: 9, rolling: false, state: 'locked' });
});

test('it freewheels through a gap, is lost after the limit, and recovers without a jump', () => {
  const { sent, secondsAt } = sender('30', 9000, { noiseMs: 0.5 });
  const one = new TimecodeFollower({ freewheelMs: 400 });
  for (const { atMs, message } of sent(1000, 3000)) one.push(message, atMs);
  expect(one.at(3300)).toMatchObject({ state: 'freewheeling', rolling: true });
  expect(abs(one.at(3300).seconds! - secondsAt(3300))).toBeLessThan(0.0005);
  let before = one.at(3300).seconds!;
  for (const { atMs, message } of sent(3300, 4000)) {
    one.push(message, atMs);
    const { seconds, state } = one.at(atMs);
    expect(state).toBe('locked');
    expect(seconds! - before).toBeGreaterThan(0);
    expect(abs(seconds! - secondsAt(atMs))).toBeLessThan(0.0005);
    before = seconds!;
  }
  expect(one.at(4500)).toMatchObject({ state: 'lost', rolling: false });
  for (const { atMs, message } of sent(5000, 5200)) one.push(message, atMs);
  expect(one.at(5200)).toMatchObject({ state: 'locked', rolling: true });
});

test('missing and duplicate quarter frames don’t move it', () => {
  const { sent, secondsAt } = sender('25', 0, { noiseMs: 0.3 });
  const one = new TimecodeFollower();
  sent(1000, 4000).forEach(({ atMs, message }, i) => {
    if (i > 20 && i % 13 === 0) return;
    one.push(message, atMs);
    if (i % 17 === 0) one.push(message, atMs + 0.4);
    if (i > 100) expect(abs(one.at(atMs).seconds! - secondsAt(atMs))).toBeLessThan(0.0005);
  });
});

test('a jump without a full frame is followed after one code, and the old position is dropped immediately', () => {
  const one = new TimecodeFollower();
  for (const { atMs, message } of sender('24', 500, { noiseMs: 0 }).sent(1000, 2000)) one.push(message, atMs);
  const there = sender('24', 50_000, { noiseMs: 0 });
  const from = there.sent(2000, 2400);
  from.slice(0, 16).forEach(({ atMs, message }) => one.push(message, atMs));
  const nowMs = from[15]!.atMs;
  expect(abs(one.at(nowMs).seconds! - there.secondsAt(nowMs))).toBeLessThan(0.001);
});

test('reversing, and varispeed of 4%', () => {
  const one = new TimecodeFollower();
  for (const { atMs, message } of sender('25', 500, { noiseMs: 0 }).sent(1000, 2000)) one.push(message, atMs);
  const back = sender('25', 525, { speed: -1.04, noiseMs: 0.2 });
  for (const { atMs, message } of back.sent(1000, 3000)) one.push(message, atMs + 1000);
  const { seconds, speed } = one.at(4000);
  expect(speed).toBeCloseTo(-1.04, 2);
  expect(abs(seconds! - back.secondsAt(3000))).toBeLessThan(0.0005);
});

test('the count wraps at midnight', () => {
  const one = new TimecodeFollower();
  for (const { atMs, message } of sender('25', 24 * 3600 * 25 - 20, { noiseMs: 0 }).sent(1000, 2600))
    one.push(message, atMs);
  const { timecode, rate, state } = one.at(2600);
  expect(formatTimecode(timecode!, rate!)).toBe('00:00:00:20');
  expect(state).toBe('locked');
});

test('it is silent, then settling, before anything is known; garbage is no code', () => {
  const one = new TimecodeFollower();
  expect(one.at(0)).toMatchObject({ state: 'silent', seconds: null, timecode: null, rate: null });
  one.push({ kind: 'quarterFrame', piece: 3, nibble: 0 }, 10);
  expect(one.at(11).state).toBe('settling');
  for (let i = 0; i < 64; i++) one.push({ kind: 'quarterFrame', piece: i % 8, nibble: 15 }, 20 + 10 * i);
  expect(one.at(660)).toMatchObject({ state: 'settling', rolling: false });
});
