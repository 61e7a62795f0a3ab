import { seededRandom } from '../standin/random';
import { analyzeRecording } from './analyze-recording';

const RATE = 48_000;
const BEAT = 24_000;
const BEATS = 12;
const { abs, cos, exp, min, PI, sin } = Math;

type Sound = (t: number) => number;

const click: Sound = (t) => 0.5 * cos(2 * PI * 2000 * t) * exp(-t / 0.004);
/** Attacks from sudden to soft, dull and bright. */
const SOUNDS: [string, Sound][] = [
  ['a kick', (t) => 0.5 * sin(2 * PI * (60 + 200 * exp(-t / 0.02)) * t + 0.5) * exp(-t / 0.12)],
  ['a snare', (t) => 0.4 * sin(2 * PI * 190 * t) * exp(-t / 0.06) + 0.3 * sin(1e7 * t * t + 1) * exp(-t / 0.08)],
  ['a plucked string', (t) => 0.4 * (sin(2 * PI * 330 * t) + 0.5 * cos(2 * PI * 1650 * t)) * exp(-t / 0.2)],
  ['a soft pad', (t) => 0.5 * min(1, t / 0.006) * sin(2 * PI * 440 * t) * exp(-t / 0.2)],
];

/** Adds a sound at every beat, so many samples late, at a level. */
function add(samples: Float32Array, sound: Sound, late: number, level = 1): void {
  const hit = Float32Array.from({ length: 0.4 * RATE }, (_, i) => level * sound((i + 0.5) / RATE));
  for (let beat = 1; beat <= BEATS; beat++) hit.forEach((value, i) => (samples[beat * BEAT + late + i]! += value));
}

/** Both channels, each bleeding into the other. */
function recorded(sound: Sound | null, late: number, bleedDb: number, bleedLate = 0) {
  const level = 10 ** (bleedDb / 20);
  const channels = { gear: new Float32Array((BEATS + 2) * BEAT), click: new Float32Array((BEATS + 2) * BEAT) };
  const { normal } = seededRandom(late + 1);
  for (const samples of [channels.gear, channels.click])
    for (let i = 0; i < samples.length; i++) samples[i] = 3e-5 * normal();
  add(channels.click, click, 0);
  add(channels.gear, click, bleedLate, level);
  if (sound) {
    add(channels.gear, sound, late);
    add(channels.click, sound, late, level);
  }
  return channels;
}

describe.each(SOUNDS)('%s, with the click bleeding in and itself bleeding into the click’s channel', (_, sound) => {
  const alone = analyzeRecording(recorded(sound, 0, -200).gear, RATE, {
    pulsesMs: Array.from({ length: BEATS }, (_, i) => 500 * (i + 1)),
  }).report.medianMs;

  test.each([-30, -50])('at %i dB: as late as it was made, whatever the latency', (bleedDb) => {
    for (const late of [0, 686]) {
      const { gear, click: sent } = recorded(sound, late, bleedDb);
      const { report } = analyzeRecording(gear, RATE, { click: sent });
      const truthMs = alone + (late / RATE) * 1000;
      expect({ late, believable: report.believable }).toEqual({ late, believable: true });
      expect(abs(report.medianMs - truthMs)).toBeLessThan(1);
      expect(report.ci95Ms[0]).toBeLessThanOrEqual(truthMs);
      expect(report.ci95Ms[1]).toBeGreaterThanOrEqual(truthMs);
    }
  });
});

test('how much of the click bled in is said', () => {
  const [, sound] = SOUNDS[0]!;
  for (const bleedDb of [-20, -30, -40]) {
    const { gear, click: sent } = recorded(sound, 686, bleedDb, 100);
    expect(analyzeRecording(gear, RATE, { click: sent }).report.bleedDb).toBeCloseTo(bleedDb, 0);
  }
});

test('an input with nothing but the click on it is never believed', () => {
  for (const bleedDb of [-60, -45, -30, -10])
    for (const bleedLate of [0, 37, 300]) {
      const { gear, click: sent } = recorded(null, 0, bleedDb, bleedLate);
      const { report } = analyzeRecording(gear, RATE, { click: sent });
      expect(report).toMatchObject({ believable: false, matched: 0 });
      expect(report.findings).toContainEqual({ kind: 'onlyClick', bleedDb: expect.closeTo(bleedDb, 0) });
    }
});

test('a copy of the click on purpose, late through an effect, is measured', () => {
  const { gear, click: sent } = recorded(click, 240, -200);
  expect(analyzeRecording(gear, RATE, { click: sent }).report).toMatchObject({
    believable: true,
    medianMs: expect.closeTo(5, 1),
  });
});

test('moved by any number of samples, the answer is the same, whatever the step of the detector', () => {
  const [, sound] = SOUNDS[3]!;
  const { gear, click: sent } = recorded(sound, 300, -200);
  const answers = [0, 5, 11, 17, 23].map((by) => {
    const moved = (samples: Float32Array) => {
      const out = new Float32Array(samples.length + by);
      out.set(samples, by);
      return out;
    };
    return analyzeRecording(moved(gear), RATE, { click: moved(sent) }).report.medianMs;
  });
  for (const ms of answers) expect(abs(ms - answers[0]!)).toBeLessThanOrEqual(1.01 / 48);
});
