import { seededRandom } from '../standin/random';
import { detectOnsets } from './detect-onsets';
import { matchOnsets } from './match-onsets';

type Sound = (seconds: number) => number;
type Trouble = (samples: Float32Array) => void;

const { sin, exp, min, max, abs, ceil, round, PI } = Math;
const RATE = 48_000;
const SECONDS = 20;
const random = seededRandom(11);
const noise = Float32Array.from({ length: 10 * RATE }, random.normal);

/** A plucked string: a noise burst in a smoothed delay line (Karplus and Strong, 1983). */
function plucked(): Sound {
  const period = round(RATE / 196);
  const string = Float64Array.from({ length: period }, () => 2 * random.uniform() - 1);
  const out = new Float32Array(0.3 * RATE);
  for (let i = 0; i < out.length; i++) {
    const at = i % period;
    out[i] = string[at]!;
    string[at] = 0.498 * (string[at]! + string[(at + 1) % period]!);
  }
  return (seconds) => out[Math.floor(seconds * RATE)] ?? 0;
}
/** A bowed string: 15 ms of attack, with harmonics. */
const bowed = (): Sound => (t) =>
  min(1, t / 0.015) *
  ((sin(2 * PI * 294 * t) + 0.4 * sin(2 * PI * 588 * t) + 0.2 * sin(2 * PI * 882 * t)) / 1.4) *
  exp(-max(0, t - 0.25) / 0.03);
function burst(): Sound {
  const from = Math.floor(random.uniform() * 8 * RATE);
  return (t) => (noise[from + Math.floor(t * RATE)]! / 3) * exp(-t / 0.02);
}
const click = (): Sound => (t) => sin(2 * PI * 2000 * t) * exp(-t / 0.004);

const TROUBLES: Record<'nothing' | 'hum' | 'bleed' | 'clipping', Trouble> = {
  nothing: () => undefined,
  // Mains and its odd harmonics, 24 dB below the hits.
  hum: (samples) => {
    for (let i = 0; i < samples.length; i++) {
      const t = (2 * PI * 50 * i) / RATE;
      samples[i]! += 0.03 * sin(t) + 0.015 * sin(3 * t) + 0.008 * sin(5 * t);
    }
  },
  // A drum bleeding in 20 dB below the hits, at its own times.
  bleed: (samples) => {
    for (let at = 0.11; at < SECONDS - 0.5; at += 0.21 + 0.3 * random.uniform())
      for (let i = 0, to = round(at * RATE); i < 0.1 * RATE; i++, to++)
        samples[to]! += 0.05 * sin((2 * PI * 180 * i) / RATE) * exp(-i / RATE / 0.03);
  },
  // Driven four times over full scale.
  clipping: (samples) => samples.forEach((sample, i) => (samples[i] = max(-1, min(1, 4 * sample)))),
};

/** Errors in ms of the hits found within 20 ms, and how many were missed and invented. */
function heard(sound: () => Sound, trouble: Trouble) {
  const samples = Float32Array.from({ length: SECONDS * RATE }, (_, i) => 0.005 * noise[i % noise.length]!);
  const truthMs: number[] = [];
  for (let at = 0.3; at < SECONDS - 0.7; at += 0.4 + 0.3 * random.uniform()) {
    truthMs.push(1000 * at);
    const shape = sound();
    for (let i = ceil(at * RATE), end = i + 0.3 * RATE; i < end; i++) samples[i]! += 0.5 * shape(i / RATE - at);
  }
  trouble(samples);
  const found = detectOnsets(samples, RATE).map(({ timeMs }) => timeMs);
  const errors = truthMs.flatMap((ms) => {
    const near = found.filter((one) => abs(one - ms) < 20).sort((a, b) => abs(a - ms) - abs(b - ms));
    return near.slice(0, 1).map((one) => one - ms);
  });
  return { errors, hits: truthMs.length, missed: truthMs.length - errors.length, extra: found.length - errors.length };
}

describe.each([
  ['a click', click],
  ['a plucked string', plucked],
  ['a burst of noise', burst],
] as [string, () => Sound][])('%s, 40 dB above the noise', (_, sound) => {
  test.each(['nothing', 'hum', 'clipping'] as const)(
    'with added %s: within 0.1 ms, none missed, none invented',
    (trouble) => {
      const { errors, missed, extra } = heard(sound, TROUBLES[trouble]);
      expect([missed, extra]).toEqual([0, 0]);
      for (const error of errors) expect(abs(error)).toBeLessThan(0.1);
    },
  );

  test('with another instrument bleeding in at -20 dB: within 0.1 ms, none missed, none invented', () => {
    const { errors, missed, extra } = heard(sound, TROUBLES.bleed);
    expect([missed, extra]).toEqual([0, 0]);
    // Noise has random onsets: one in several hundred starts too faintly to be seen under the other sound.
    const off = errors.filter((error) => abs(error) >= 0.1);
    expect(off.length).toBeLessThanOrEqual(sound === burst ? 1 : 0);
    for (const error of off) expect(abs(error)).toBeLessThan(0.3);
  });
});

test.each(['nothing', 'hum', 'clipping'] as const)('a bowed string with added %s: within 1 ms', (trouble) => {
  const { errors, missed, extra } = heard(bowed, TROUBLES[trouble]);
  expect([missed, extra]).toEqual([0, 0]);
  // Enough of a hum at -24 dB remains to shift a few.
  const off = errors.filter((error) => abs(error) >= 1);
  expect(off.length).toBeLessThanOrEqual(trouble === 'hum' ? 0.1 * errors.length : 0);
});

test('soft attacks of 5 and 15 ms with another instrument bleeding in: none missed, none invented', () => {
  const soft = (): Sound => (t) => min(1, t / 0.005) * sin(2 * PI * 1000 * t) * exp(-t / 0.1);
  for (const [sound, share] of [
    [soft, 0.03],
    // Its first 2 ms are below the bleed.
    [bowed, 0.15],
  ] as const) {
    const { errors, missed, extra } = heard(sound, TROUBLES.bleed);
    expect([missed, extra]).toEqual([0, 0]);
    expect(errors.filter((error) => abs(error) >= 1).length).toBeLessThanOrEqual(share * errors.length);
    for (const error of errors) expect(abs(error)).toBeLessThan(5);
  }
});

test('one hit missing and one doubled: the others are unaffected, and both are reported', () => {
  const pulsesMs = Array.from({ length: 32 }, (_, i) => 500 * i);
  const onsetsMs = pulsesMs.filter((_, i) => i !== 9).flatMap((ms, i) => (i === 20 ? [ms + 12, ms + 90] : [ms + 12]));
  const { landings, missed, extra } = matchOnsets(pulsesMs, onsetsMs);
  expect([missed, extra]).toEqual([1, 1]);
  expect(landings.every(({ lateMs }) => lateMs === 12)).toBe(true);
});
