import { seededRandom } from '../standin/random';
import { detectOnsets } from './detect-onsets';

type Attack = (seconds: number) => number;

const { sin, cos, exp, min, ceil, abs, sqrt, PI } = Math;
const click: Attack = (t) => sin(2 * PI * 2000 * t) * exp(-t / 0.004);

const random = seededRandom(7);
const tenSecondsOfNoise = Float32Array.from({ length: 480_000 }, random.normal);

/**
 * A minute of hits at irregular times with sub-sample offsets, over white noise `snrDb` below their peak. `attack` is
 * called once per hit.
 */
function recording(attack: () => Attack, sampleRate: number, snrDb: number) {
  const samples = new Float32Array(60 * sampleRate);
  const loudness = 0.5 * 10 ** (-snrDb / 20);
  for (let i = 0, at = ceil(480_000 * random.uniform()); i < samples.length; i++, at++)
    samples[i] = loudness * tenSecondsOfNoise[at % 480_000]!;
  const truthMs: number[] = [];
  for (let at = 0.3; at < 59.5; at += 0.35 + 0.3 * random.uniform()) {
    truthMs.push(at * 1000);
    const sound = attack();
    const first = ceil(at * sampleRate);
    for (let i = first; i < first + 0.1 * sampleRate; i++) samples[i]! += 0.5 * sound(i / sampleRate - at);
  }
  return { samples, truthMs };
}

/** Errors in ms, with as many onsets as there were hits. */
function errorsOf({ samples, truthMs }: ReturnType<typeof recording>, sampleRate: number): number[] {
  const found = detectOnsets(samples, sampleRate);
  expect(found).toHaveLength(truthMs.length);
  return found.map(({ timeMs }, i) => timeMs - truthMs[i]!);
}

const CLICKS: [string, Attack][] = [
  ['one sample or two', (t) => (t < 1 / 44_099 ? 1 : 0)],
  ['a step that decays', (t) => exp(-t / 0.001)],
  ['a short 1 kHz click', (t) => sin(2 * PI * 1000 * t) * exp(-t / 0.002)],
  ['a 2 kHz click', click],
  ['a 1 kHz click that begins at its peak', (t) => cos(2 * PI * 1000 * t) * exp(-t / 0.005)],
  ['a 440 Hz blip', (t) => sin(2 * PI * 440 * t) * exp(-t / 0.02)],
];

describe.each([44_100, 48_000])('20 dB above the noise, at %i Hz, over a minute', (rate) => {
  test.each(CLICKS)('%s: within 0.1 ms, none missed, none invented', (_, sound) => {
    for (const error of errorsOf(
      recording(() => sound, rate, 20),
      rate,
    ))
      expect(abs(error)).toBeLessThan(0.1);
  });
});

const SOFT: [string, Attack][] = [
  ['straight, 440 Hz', (t) => min(1, t / 0.005) * sin(2 * PI * 440 * t) * exp(-t / 0.1)],
  ['straight, 1 kHz', (t) => min(1, t / 0.005) * sin(2 * PI * 1000 * t) * exp(-t / 0.1)],
  ['with a round foot', (t) => sin((PI / 2) * min(1, t / 0.005)) ** 2 * sin(2 * PI * 880 * t) * exp(-t / 0.1)],
];

describe.each([20, 60])('a soft attack of 5 ms, %i dB above the noise', (snrDb) => {
  test.each(SOFT)('%s: within 1 ms', (_, sound) => {
    for (const error of errorsOf(
      recording(() => sound, 48_000, snrDb),
      48_000,
    ))
      expect(abs(error)).toBeLessThan(1);
  });
});

test('hits of a free-running oscillator look alike, but each keeps its own onset', () => {
  const free = (): Attack => {
    const phase = 2 * PI * random.uniform();
    return (t) => sin(2 * PI * 1000 * t + phase) * exp(-t / 0.005);
  };
  const errors = errorsOf(recording(free, 48_000, 20), 48_000);
  expect(sqrt(errors.reduce((sum, error) => sum + error ** 2, 0) / errors.length)).toBeLessThan(0.05);
});

test('two alternating sounds at different levels are separated, both within 0.1 ms', () => {
  let hit = 0;
  const kick: Attack = (t) => sin(2 * PI * 180 * t) * exp(-t / 0.03);
  const snap: Attack = (t) => 0.6 * cos(2 * PI * 1800 * t) * exp(-t / 0.004);
  const errors = errorsOf(
    recording(() => (hit++ % 2 ? kick : snap), 48_000, 26),
    48_000,
  );
  expect(Math.max(...errors.map(abs))).toBeLessThan(0.1);
});

test('pure noise and pure silence contain no onset', () => {
  expect(
    detectOnsets(
      tenSecondsOfNoise.map((sample) => 0.1 * sample),
      48_000,
    ),
  ).toEqual([]);
  expect(detectOnsets(new Float32Array(480_000), 48_000)).toEqual([]);
  expect(detectOnsets(new Float32Array(0), 48_000)).toEqual([]);
});

test('an existing tone is ignored, a hit on top of it isn’t, and its peak is reported', () => {
  const samples = new Float32Array(96_000).map((_, i) => 0.02 * sin((2 * PI * 50 * i) / 48_000));
  for (let i = 0; i < 4000; i++) samples[48_000 + i]! += 0.8 * click(i / 48_000 + 1e-6);
  const found = detectOnsets(samples, 48_000);
  expect(found).toHaveLength(1);
  expect(found[0]!.timeMs).toBeCloseTo(1000, 0);
  expect(found[0]!.level).toBeGreaterThan(0.6);
  expect(found[0]!.level).toBeLessThan(0.85);
});

test('a second hit 60 ms later, in the tail of the first, is detected', () => {
  const samples = new Float32Array(48_000);
  const drum: Attack = (t) => sin(2 * PI * 180 * t) * exp(-t / 0.03);
  for (const at of [10_000, 10_000 + 2880]) for (let i = 0; i < 9000; i++) samples[at + i]! += 0.4 * drum(i / 48_000);
  expect(detectOnsets(samples, 48_000).map(({ timeMs }) => Math.round(timeMs / 10))).toEqual([21, 27]);
});
