import { analyzeRecording, cutClicks, detectOnsets, type RecordingReport } from '../core/src/index';
import { recordingOf, renderInstruments, type Conditions, type Part } from './sound-font';

/** 120 BPM and 96.98 BPM at 48 kHz. */
const BEATS = [24_000, 464 * 64];
/** 0 to 40 ms, from one instrument to the next. */
const DELAYS = [0, 96, 240, 480, 686, 960, 1920];
/** Noise, and the weaker bleed, with every other instrument; each is played in two of the four. */
const CONDITIONS: [string, Conditions, 1 | 2][] = [
  ['25 instruments, clean', {}, 1],
  ['half of them, noise at -56 dBFS', { noiseDb: -56 }, 2],
  ['25 instruments, bleed at -30 dB both ways', { bleedDb: -30 }, 1],
  ['the other half, bleed at -50 dB both ways', { bleedDb: -50 }, 2],
];

/** Instruments of a General MIDI sound font, rendered by a synthesizer: sounds this project has no part in. */
const parts: Part[] = [];
beforeAll(async () => {
  for (const beat of BEATS) parts.push(...(await renderInstruments(beat)));
});

interface Answer {
  name: string;
  errorMs: number;
  /** Outside of where it may begin. */
  offMs: number;
  report: RecordingReport;
  holds: boolean;
}

/** Every instrument at one of the tempos, in turn; of `every` second one only, the one or the other half. */
function measure(conditions: Conditions, every: 1 | 2, turn: number): (Answer | null)[] {
  const count = parts.length / BEATS.length;
  const inTurn = parts.filter((_, i) => Math.floor(i / count) === ((i % count) + turn) % 2);
  const chosen = inTurn.filter((_, i) => every === 1 || i % every === (turn > 1 ? 1 : 0));
  return chosen.map((part, i) => {
    const { gear, click, sampleRate, lateMs, fromMs, toMs } = recordingOf(
      part,
      DELAYS[(i + turn) % DELAYS.length]!,
      conditions,
    );
    try {
      const { report } = analyzeRecording(gear, sampleRate, { click });
      const [from, to] = report.ci95Ms;
      const offMs = Math.max(0, fromMs - report.medianMs, report.medianMs - toMs);
      const holds = from <= lateMs && lateMs <= to;
      return { name: part.name, errorMs: report.medianMs - lateMs, offMs, report, holds };
    } catch {
      return null;
    }
  });
}

test.each(CONDITIONS)('%s: nine of ten are believed, and their 95% intervals hold', (_, conditions, every) => {
  const answers = measure(
    conditions,
    every,
    CONDITIONS.findIndex(([, one]) => one === conditions),
  );
  const believed = answers.filter((answer): answer is Answer => answer?.report.believable === true);
  expect(believed.length).toBeGreaterThanOrEqual(Math.floor(0.9 * answers.length));
  const missed = believed.filter(({ holds }) => !holds).map(({ name, errorMs }) => `${name} ${errorMs.toFixed(2)} ms`);
  // 93% of them, less two standard errors of such a share.
  const share = 0.07 + 2 * Math.sqrt((0.07 * 0.93) / answers.length);
  expect(missed.length).toBeLessThanOrEqual(Math.floor(share * answers.length));
  const off = believed.filter(({ offMs }) => offMs > 1);
  expect(off.map(({ name, errorMs }) => `${name} ${errorMs.toFixed(2)} ms`)).toEqual([]);
});

test('a channel with nothing but the click’s bleed is never believed, from -60 to -10 dB', () => {
  const [part] = parts;
  for (const noiseDb of [-90, -70])
    for (let bleedDb = -60; bleedDb <= -10; bleedDb += 10) {
      const { gear, click, sampleRate } = recordingOf(part!, 0, { bleedDb, noiseDb, onlyBleed: true });
      let believed = false;
      try {
        believed = analyzeRecording(gear, sampleRate, { click }).report.believable;
      } catch {
        // Nothing was heard at all.
      }
      expect({ bleedDb, noiseDb, believed }).toEqual({ bleedDb, noiseDb, believed: false });
    }
});

/** The one that is measured, and the one that comes 16 ms before it and bleeds in, as it does itself. */
const PAIRS = [
  ['kick', 'snare'],
  ['snare', 'kick'],
  ['clap', 'snare'],
  ['tom', 'kick'],
  ['marimba', 'rimshot'],
  ['picked bass', 'cowbell'],
  ['kick', 'fingered bass'],
] as const;

test.each([-30, -40])('an instrument behind another that bleeds in at %i dB is where it was put', (bleedDb) => {
  const level = 10 ** (bleedDb / 20);
  const of = (name: string, delay: number) =>
    recordingOf(
      parts.find((part) => part.name === name)!,
      delay,
      {},
    );
  const wrong = PAIRS.flatMap(([name, before]) => {
    const [own, other] = [of(name, 864), of(before, 96)];
    const gear = own.gear.map((value, i) => value + level * other.gear[i]!);
    const samples = other.gear.map((value, i) => value + level * own.gear[i]!);
    const onsetsMs = detectOnsets(samples, own.sampleRate).map(({ timeMs }) => timeMs);
    const beside = { samples, hits: cutClicks(samples, own.sampleRate, onsetsMs) };
    const { report } = analyzeRecording(gear, own.sampleRate, { click: own.click }, [beside]);
    const isRight = report.believable && Math.abs(report.medianMs - own.lateMs) < 1;
    return isRight ? [] : [`${name} after ${before}: ${report.medianMs.toFixed(2)}, not ${own.lateMs.toFixed(2)} ms`];
  });
  expect(wrong).toEqual([]);
});
