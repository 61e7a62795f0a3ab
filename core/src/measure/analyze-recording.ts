import { bisectLeft, max as maximum, median, sort } from 'd3-array';
import { detectOnsets, type Onset } from './detect-onsets';
import { secondDifferences } from './second-differences';
import { explainHits, type TakeFinding } from './findings';
import type { Landing, LateRange } from './match-onsets';
import { reportLatency, type LatencyReport } from './measure-latency';
import { cutClicks, isOwn, takeOutBeside, takeOutClick, type Beside, type Bleed, type Click } from './take-out-click';

const { abs, ceil, log10, max, round } = Math;

/** A recording yields no result: why, and what to do. */
export class RecordingError extends Error {
  override readonly name = 'RecordingError';
  constructor(
    message: string,
    readonly problem: 'empty' | 'silentReference' | 'noClick' | 'silent' | 'noOnset',
  ) {
    super(message);
  }
}

/**
 * The beats: the click on a channel, clicks found earlier, or a fixed tempo from a first beat. `range`: how late hits can
 * be, if that is known; it may be longer than a beat if the beats aren’t evenly spaced.
 */
export type BeatReference =
  | { click: Float32Array }
  | { pulsesMs: readonly number[]; click?: Float32Array | readonly Click[]; range?: LateRange }
  | { bpm: number; firstBeatMs: number };

export interface RecordingReport extends LatencyReport {
  /** Level of the click in the device's channel, relative to the click's own, dB; it was taken out. */
  bleedDb?: number;
  /** The same for the loudest of the other devices that were recorded with it. */
  besideDb?: number;
  findings: TakeFinding[];
}

export interface RecordingAnalysis {
  pulsesMs: number[];
  onsetsMs: number[];
  landings: Landing[];
  report: RecordingReport;
  /** A problem with the audio that doesn't invalidate the result. */
  warning?: string;
}

/** Below this (-70 dB) there is no signal on the line. */
const SILENCE = 10 ** (-70 / 20);
/** Below -46 dB the noise of most inputs begins to matter. */
const QUIET = 10 ** (-46 / 20);
/** Two sounds this close begin together. */
const TOGETHER_MS = 0.6;
/** A device that begins this soon after another isn't told from its bleed. */
const APART_MS = 1.5;
/** Consecutive samples at full scale count as clipping. */
const FULL_SCALE = 0.999;
const CLIPPED_SAMPLES = 3;

/**
 * How late the device on one channel lands after each beat. All times are ms from the first sample. `beside`: the
 * other devices that were recorded with it; their bleed is taken out, too.
 * @throws RecordingError if there is nothing to measure.
 */
export function analyzeRecording(
  gear: Float32Array,
  sampleRate: number,
  beats: BeatReference,
  beside: readonly Beside[] = [],
): RecordingAnalysis {
  assertNotEmpty(gear);
  if (isSilent(gear))
    throw new RecordingError('The device channel is silent. Check the cable, the input and its level.', 'silent');
  const pulsesMs = findPulses(beats, sampleRate, (gear.length / sampleRate) * 1000);
  const bleed = bleedOf(gear, sampleRate, beats, pulsesMs);
  // What comes first is alone at first.
  const inOrder = sort(beside, ({ hits }) => median(hits, ({ at }) => afterOne(pulsesMs, (at / sampleRate) * 1000)));
  const range = 'range' in beats ? beats.range : undefined;
  const analyze = (click: Bleed | null) =>
    analyzeWithout({ click, ...takeOutOthers(click?.samples ?? gear, inOrder, sampleRate) }, gear, sampleRate, {
      pulsesMs,
      ...(range && { range }),
    });
  const analysis = analyze(bleed);
  // Bleed that comes late, together with the hits, is the hits themselves.
  const beginsWithIt =
    bleed && bleed.delayMs > TOGETHER_MS && abs(analysis.report.medianMs - bleed.delayMs) < TOGETHER_MS;
  return beginsWithIt ? analyze(null) : analysis;
}

/** What was taken out of a channel, and what is left. */
interface Cleaned {
  click: Bleed | null;
  beside: Bleed[];
  samples: Float32Array;
}

/** Takes out other devices, one after the other, unless what they share with this one may be its own hits. */
function takeOutOthers(gear: Float32Array, beside: readonly Beside[], sampleRate: number): Omit<Cleaned, 'click'> {
  let samples = gear;
  const taken: Bleed[] = [];
  for (const other of beside) {
    const found = takeOutBeside(samples, other, sampleRate);
    if (!found) continue;
    const left = detectOnsets(found.samples, sampleRate, found.leftover).filter((onset) => isOwn(onset, found));
    const bleedsMs = other.hits.map(({ at }) => (at / sampleRate) * 1000 + found.delayMs);
    const apartMs = median(left, ({ timeMs }) => distanceTo(bleedsMs, timeMs)) ?? Infinity;
    if (apartMs < APART_MS) continue;
    samples = found.samples;
    taken.push(found);
  }
  return { samples, beside: taken };
}

/** Between a time and the nearest of some others, which are in order. */
function distanceTo(times: readonly number[], ms: number): number {
  return abs(afterOne(times, ms));
}

function afterOne(times: readonly number[], ms: number): number {
  const next = bisectLeft(times, ms);
  const [before = -Infinity, after = Infinity] = [times[next - 1], times[next]];
  return ms - before < after - ms ? ms - before : ms - after;
}

function analyzeWithout(
  { click, beside, samples }: Cleaned,
  gear: Float32Array,
  sampleRate: number,
  { pulsesMs, range }: { pulsesMs: number[]; range?: LateRange },
): RecordingAnalysis {
  const bleeds = click ? [click, ...beside] : beside;
  const onsets = onsetsIn(
    samples,
    sampleRate,
    pulsesMs.length,
    maximum(bleeds, ({ leftover }) => leftover),
  );
  const heard = levelOf(gear);
  const faults = heard.finding ? [heard.finding] : [];
  const besideDb = maximum(beside, ({ bleedDb }) => bleedDb);
  const about = { ...(click && { bleedDb: click.bleedDb }), ...(besideDb !== undefined && { besideDb }) };
  const covering = bleeds.find((bleed) => !onsets.some((onset) => isOwn(onset, bleed)));
  if (covering) {
    const report = reportLatency({ landings: [], missed: pulsesMs.length, extra: 0 });
    const what = covering === click ? 'the click' : 'another device';
    const reason = `Only ${what} is on this input. Check the cable and the input of the device.`;
    const kind = covering === click ? 'onlyClick' : 'onlyBeside';
    const findings: TakeFinding[] = [{ kind, bleedDb: covering.bleedDb }, ...faults];
    return { pulsesMs, onsetsMs: [], landings: [], report: { ...report, ...about, reason, findings } };
  }
  if (onsets.length === 0)
    throw new RecordingError(
      'No transients on the device channel. Have the device play quarter notes with a sharp attack.',
      'noOnset',
    );
  const onsetsMs = onsets.map((onset) => onset.timeMs);
  const { matching, findings, reason } = explainHits(pulsesMs, onsetsMs, {
    range,
    recordedMs: (gear.length / sampleRate) * 1000,
  });
  // The click's onset and the device's are whole samples.
  const sampleMs = 2000 / sampleRate;
  const report = reportLatency(matching, {
    earlierMs: sampleMs + (median(onsets, ({ earlierMs }) => earlierMs) ?? 0),
    laterMs: sampleMs + (median(onsets, ({ laterMs }) => laterMs) ?? 0),
  });
  return {
    pulsesMs,
    onsetsMs,
    landings: matching.landings,
    report: {
      ...report,
      ...(reason !== undefined && { believable: false, reason }),
      ...about,
      findings: [...findings, ...faults],
    },
    ...(heard.warning !== undefined && { warning: heard.warning }),
  };
}

/** Where strings ring on, new hits hardly add to the level: then their bright attacks are looked for. */
function onsetsIn(samples: Float32Array, sampleRate: number, beats: number, mask?: number): Onset[] {
  const onsets = detectOnsets(samples, sampleRate, mask);
  if (onsets.length > beats / 4) return onsets;
  const bright = detectOnsets(secondDifferences(samples), sampleRate);
  return bright.length > 2 * onsets.length ? bright : onsets;
}

function bleedOf(
  gear: Float32Array,
  sampleRate: number,
  beats: BeatReference,
  pulsesMs: readonly number[],
): Bleed | null {
  if (!('click' in beats) || !beats.click) return null;
  const clicks = beats.click instanceof Float32Array ? cutClicks(beats.click, sampleRate, pulsesMs) : beats.click;
  return takeOutClick(gear, clicks, sampleRate);
}

function levelOf(samples: Float32Array): { finding?: TakeFinding; warning?: string } {
  let [peak, flat, longest] = [0, 0, 0];
  for (const sample of samples) {
    const size = abs(sample);
    if (size > peak) peak = size;
    flat = size >= FULL_SCALE ? flat + 1 : 0;
    if (flat > longest) longest = flat;
  }
  if (longest >= CLIPPED_SAMPLES)
    return {
      finding: { kind: 'clipped' },
      warning: 'The input clipped. Onsets were still found, but turn the level down.',
    };
  if (peak >= QUIET) return {};
  const peakDb = 20 * log10(peak);
  return {
    finding: { kind: 'quiet', peakDb },
    warning: `The input is very quiet, peaking at ${round(peakDb)} dBFS. Turn it up, or noise will mask the attacks.`,
  };
}

function findPulses(beats: BeatReference, sampleRate: number, lengthMs: number): number[] {
  if ('bpm' in beats) {
    const intervalMs = 60_000 / beats.bpm;
    const count = max(0, ceil((lengthMs - beats.firstBeatMs) / intervalMs));
    return Array.from({ length: count }, (_, i) => beats.firstBeatMs + i * intervalMs);
  }
  return 'pulsesMs' in beats ? [...beats.pulsesMs] : findClicks(beats.click, sampleRate);
}

/**
 * Times of the hub's click on its channel, ms from the first sample.
 * @throws RecordingError if there is none.
 */
export function findClicks(click: Float32Array, sampleRate: number): number[] {
  assertNotEmpty(click);
  if (isSilent(click))
    throw new RecordingError(
      'The click channel is silent. Connect the hub’s click to that input, or choose another.',
      'silentReference',
    );
  const pulses = detectOnsets(click, sampleRate).map((onset) => onset.timeMs);
  if (pulses.length === 0)
    throw new RecordingError('No click found on the click channel. Check which input carries the click.', 'noClick');
  return pulses;
}

function assertNotEmpty(samples: Float32Array): void {
  if (samples.length === 0)
    throw new RecordingError('The recording is empty. Check the audio input and record again.', 'empty');
}

function isSilent(samples: Float32Array): boolean {
  return !samples.some((sample) => abs(sample) > SILENCE);
}
