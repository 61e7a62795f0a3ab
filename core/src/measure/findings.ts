import { mean, median } from 'd3-array';
import { fitLine } from '../maths/fit-line';
import { matchOnsets, type Landing, type LateRange, type Matching } from './match-onsets';

const { abs, cos, hypot, max, min, PI, round, sin, sqrt } = Math;

/** What a device does other than playing one hit a beat at one latency. */
export type TakeFinding =
  /** Nothing but the click is on the device's input. */
  | { kind: 'onlyClick'; bleedDb: number }
  /** Nothing but the sound of another device that was recorded with it. */
  | { kind: 'onlyBeside'; bleedDb: number }
  | { kind: 'clipped' }
  | { kind: 'quiet'; peakDb: number }
  /** It plays at a tempo of its own, likely on its internal clock. */
  | { kind: 'otherTempo'; bpm: number; expectedBpm: number }
  /** Hits a beat: 2, 3 or 4 in time with it, as eighths, triplets or sixteenths; or one every 2 or 4 beats. */
  | { kind: 'double' | 'half'; hitsPerBeat: number }
  /** Each hit is this part of a beat after it. */
  | { kind: 'offBeat'; beats: number }
  /** It runs slow (+) or fast (-): so many ms later at the end. */
  | { kind: 'drift'; ppm: number; ms: number }
  /** From this beat on, counted from 0, it is this much later. */
  | { kind: 'jump'; ms: number; atBeat: number }
  /** Some hits are later than the others; `every` and `first`: which, if there is a pattern. */
  | { kind: 'groups'; apartMs: number; share: number; every?: number; first?: number }
  /** It may just as well be late by another beat. */
  | { kind: 'ambiguous'; lateMs: number; orLateMs: number };

export interface Explained {
  matching: Matching;
  findings: TakeFinding[];
  /** Why one latency can't describe it. */
  reason?: string;
}

const FEWEST = 8;
/** Tempos within this of the expected one are tried, in steps too small to miss any. */
const TEMPO_RANGE = 0.25;
const STEPS_PER_CYCLE = 8;
/** Mean resultant length of hits folded at a period that they keep. */
const KEEPS = 0.9;
/** Hits that are enough to find it. */
const ENOUGH = 256;
/** Hits a beat that may be a pattern, and their share of all hits expected. */
const PATTERNS = [1, 2, 3, 4];
const PRESENT = 0.6;
/** A smaller change is inaudible. */
const AUDIBLE_MS = 1;
/** Standard errors, and deviations of the hits around it, by which a trend must stand out. */
const CLEAR_ERRORS = 5;
const CLEAR_DEVIATIONS = 2;
const LEAST_SPREAD_MS = 0.05;
const FEWEST_A_SIDE = 4;
/** The smaller of two groups has at least this share of all. */
const SMALLER_SHARE = 0.15;
const GROUP_DEVIATIONS = 6;
/** Groups closer than this are heard as one. */
const LEAST_APART_MS = 3;
const MOST_APART = 0.2;
/** Earlier than this part of a beat is rare enough to be doubted. */
const DOUBTFUL_EARLY = 0.05;
/** Wireless audio can be this late (common practice). */
const MOST_LATE_MS = 300;
const EIGHTH_OFF = [0.375, 0.625] as const;

interface About {
  /** How late hits can be, if that is known. */
  range?: LateRange | undefined;
  /** How long the recording is. */
  recordedMs?: number;
}

/** What the hits of one device are, against beats that are due. Both in ms from the beginning of the recording, in order. */
export function explainHits(
  pulsesMs: readonly number[],
  onsetsMs: readonly number[],
  { range, recordedMs = Infinity }: About = {},
): Explained {
  const beatMs = median(pulsesMs.slice(1), (ms, i) => ms - (pulsesMs[i] as number)) ?? 0;
  if (pulsesMs.length < FEWEST || onsetsMs.length < FEWEST / 2 || beatMs <= 0)
    return { matching: matchOnsets(pulsesMs, onsetsMs, range), findings: [] };
  if (!isEven(pulsesMs, beatMs)) return explainUneven(pulsesMs, onsetsMs, range);
  const period = periodOf(onsetsMs, beatMs);
  const lengthMs = (pulsesMs.at(-1) as number) - (pulsesMs[0] as number);
  if (period && abs(period.beatMs / beatMs - 1) * lengthMs > beatMs / 4) {
    const [bpm, expectedBpm] = [60_000 / period.beatMs, 60_000 / beatMs];
    return {
      matching: { landings: [], missed: pulsesMs.length, extra: onsetsMs.length },
      findings: [{ kind: 'otherTempo', bpm, expectedBpm }],
      reason: `It plays at ${bpm.toFixed(1)} BPM, not ${expectedBpm.toFixed(1)}. It is probably running on its internal clock: set its clock source to external.`,
    };
  }
  const findings: TakeFinding[] = [];
  const hitsPerBeat = period?.hitsPerBeat ?? 1;
  if (hitsPerBeat !== 1) findings.push({ kind: hitsPerBeat > 1 ? 'double' : 'half', hitsPerBeat });
  const matching = matchedAgain(pulsesMs, onsetsMs, beatMs, range);
  const { landings } = matching;
  if (hitsPerBeat > 1) matching.extra = max(0, onsetsMs.length - round(hitsPerBeat * landings.length));
  if (hitsPerBeat < 1) matching.missed = max(0, round(hitsPerBeat * pulsesMs.length) - landings.length);
  const trend = trendOf(pulsesMs, landings, beatMs);
  if (trend) findings.push(trend.finding);
  const early = trend ? null : placeOf(pulsesMs, onsetsMs, landings, { beatMs, recordedMs });
  if (early) findings.push(early);
  const reason = trend?.reason ?? (early?.kind === 'ambiguous' ? ambiguity(early) : undefined);
  return { matching, findings, ...(reason !== undefined && { reason }) };
}

/** With a tempo map: what is counted in beats can't be told, but trends in ms can. */
function explainUneven(pulsesMs: readonly number[], onsetsMs: readonly number[], range?: LateRange): Explained {
  const shortestMs = pulsesMs.slice(1).reduce((least, ms, i) => min(least, ms - (pulsesMs[i] as number)), Infinity);
  const matching = matchedAgain(pulsesMs, onsetsMs, shortestMs, range);
  const trend = trendOf(pulsesMs, matching.landings, shortestMs);
  return { matching, findings: trend ? [trend.finding] : [], ...(trend && { reason: trend.reason }) };
}

function isEven(pulsesMs: readonly number[], beatMs: number): boolean {
  return pulsesMs.slice(1).every((ms, i) => abs((ms - (pulsesMs[i] as number)) / beatMs - 1) < 0.02);
}

/** The tempo that hits keep, and how many there are a beat; null if they keep none. */
function periodOf(allMs: readonly number[], beatMs: number): { beatMs: number; hitsPerBeat: number } | null {
  const onsetsMs = allMs.slice(0, ENOUGH);
  const lengthMs = (onsetsMs.at(-1) as number) - (onsetsMs[0] as number);
  let best: { beatMs: number; hitsPerBeat: number } | null = null;
  let bestScore = KEEPS;
  for (const pattern of PATTERNS) {
    const stepMs = beatMs / pattern;
    const cycles = max(1, lengthMs / stepMs);
    const tries = round(TEMPO_RANGE * cycles * STEPS_PER_CYCLE);
    for (let i = -tries; i <= tries; i++) {
      const tryMs = stepMs / (1 + i / (cycles * STEPS_PER_CYCLE));
      const expected = lengthMs / tryMs + 1;
      const share = onsetsMs.length / expected;
      // Every other beat, or every fourth, is a pattern of its own.
      if (share > 1.3 || (pattern > 1 && share < PRESENT)) continue;
      // The expected tempo is preferred, and the plainest pattern.
      const score = resultant(onsetsMs, tryMs) - 0.02 * (pattern - 1) - (i === 0 ? 0 : 0.005);
      if (score <= bestScore) continue;
      bestScore = score;
      const every = share > PRESENT ? 1 : share > 0.375 ? 2 : 4;
      best = { beatMs: tryMs * pattern, hitsPerBeat: pattern / every };
    }
  }
  return best && { ...best, beatMs: refined(allMs, best) };
}

/** By least squares around the period found. */
function refined(
  onsetsMs: readonly number[],
  { beatMs, hitsPerBeat }: { beatMs: number; hitsPerBeat: number },
): number {
  const stepMs = beatMs / max(1, hitsPerBeat);
  const first = onsetsMs[0] as number;
  const steps = onsetsMs.map((ms) => round((ms - first) / stepMs));
  const { slope } = fitLine(steps, onsetsMs);
  return slope > 0 ? slope * max(1, hitsPerBeat) : beatMs;
}

/** Mean resultant length of times folded at a period (Fisher, "Statistical Analysis of Circular Data", 1993): 1 if equal. */
function resultant(timesMs: readonly number[], periodMs: number): number {
  let [x, y] = [0, 0];
  for (const ms of timesMs) {
    const turn = (2 * PI * ms) / periodMs;
    x += cos(turn);
    y += sin(turn);
  }
  return hypot(x, y) / timesMs.length;
}

/** Hits that were left out because they are a little later or earlier than most still belong to their beat. */
function matchedAgain(
  pulsesMs: readonly number[],
  onsetsMs: readonly number[],
  beatMs: number,
  range?: LateRange,
): Matching {
  const matching = matchOnsets(pulsesMs, onsetsMs, range);
  const { landings, missed } = matching;
  if (missed < SMALLER_SHARE * pulsesMs.length || landings.length < FEWEST / 2) return matching;
  const delayMs = median(landings, ({ lateMs }) => lateMs) ?? 0;
  const known = new Set(landings.map(({ pulse }) => pulse));
  const more = pulsesMs.flatMap((ms, pulse): Landing[] => {
    if (known.has(pulse)) return [];
    const lateMs = nearestTo(onsetsMs, ms + delayMs) - ms;
    return abs(lateMs - delayMs) < MOST_APART * beatMs ? [{ pulse, lateMs }] : [];
  });
  if (more.length < missed / 2) return matching;
  const all = [...landings, ...more].sort((a, b) => a.pulse - b.pulse);
  return { landings: all, missed: pulsesMs.length - all.length, extra: max(0, onsetsMs.length - all.length) };
}

function nearestTo(timesMs: readonly number[], wantedMs: number): number {
  let best = Infinity;
  for (const ms of timesMs) if (abs(ms - wantedMs) < abs(best - wantedMs)) best = ms;
  return best;
}

interface Trend {
  finding: TakeFinding;
  reason: string;
}

/** A drift, a jump or two groups, whichever explains the landings best, if it stands out of their spread. */
export function trendOf(pulsesMs: readonly number[], landings: readonly Landing[], beatMs: number): Trend | null {
  if (landings.length < FEWEST) return null;
  const lateness = landings.map(({ lateMs }) => lateMs);
  const due = landings.map(({ pulse }) => pulsesMs[pulse] as number);
  const line = fitLine(due, lateness);
  const ms = line.slope * ((due.at(-1) as number) - (due[0] as number));
  const drifts = abs(ms) > AUDIBLE_MS && abs(line.slope) > CLEAR_ERRORS * line.slopeError;
  const jump = splitOf(lateness);
  const order = lateness.map((_, i) => i).sort((a, b) => (lateness[a] as number) - (lateness[b] as number));
  const groups = splitOf(order.map((i) => lateness[i] as number));
  const clear = (split: Split, leastMs: number, deviations: number) =>
    abs(split.apart) > max(leastMs, deviations * max(LEAST_SPREAD_MS, split.spread));
  const jumps = clear(jump, AUDIBLE_MS, CLEAR_DEVIATIONS) && abs(jump.apart) > CLEAR_ERRORS * jump.error;
  if (jumps && (!drifts || jump.spread < 0.8 * line.residualRms)) {
    const atBeat = landings[jump.at]?.pulse ?? 0;
    return {
      finding: { kind: 'jump', ms: jump.apart, atBeat },
      reason: `It jumped by ${abs(jump.apart).toFixed(1)} ms at beat ${atBeat + 1}. Measure again, or measure each part separately.`,
    };
  }
  if (drifts && line.residualRms * CLEAR_DEVIATIONS < abs(ms)) {
    const ppm = line.slope * 1e6;
    return {
      finding: { kind: 'drift', ppm, ms },
      reason: `It drifts by ${abs(ppm).toFixed(0)} ppm: ${abs(ms).toFixed(1)} ms ${ms > 0 ? 'later' : 'earlier'} at the end of this take. No offset can fix that: check that it follows the clock.`,
    };
  }
  const share = min(groups.at, lateness.length - groups.at) / lateness.length;
  if (
    !clear(groups, LEAST_APART_MS, GROUP_DEVIATIONS) ||
    share < SMALLER_SHARE ||
    abs(groups.apart) > MOST_APART * beatMs
  )
    return null;
  const later = order.slice(groups.at).map((i) => landings[i]?.pulse ?? 0);
  return {
    finding: {
      kind: 'groups',
      apartMs: groups.apart,
      share: later.length / lateness.length,
      ...patternOf(later, landings),
    },
    reason: `Two groups of hits, ${groups.apart.toFixed(1)} ms apart. Turn swing and groove off, or measure with even quarter notes.`,
  };
}

interface Split {
  at: number;
  /** Mean after minus mean before, and the spread within both. */
  apart: number;
  spread: number;
  /** Standard error of the difference. */
  error: number;
}

/** Where a series falls into two parts with the least squares around their own means. */
function splitOf(values: readonly number[]): Split {
  const n = values.length;
  const total = values.reduce((sum, value) => sum + value, 0);
  const center = total / n;
  const squares = values.reduce((sum, value) => sum + (value - center) ** 2, 0);
  let best: Split = { at: 0, apart: 0, spread: sqrt(squares / n), error: Infinity };
  let before = 0;
  for (let at = 1; at < n; at++) {
    before += values[at - 1] as number;
    if (at < FEWEST_A_SIDE || n - at < FEWEST_A_SIDE) continue;
    const apart = (total - before) / (n - at) - before / at;
    const spread = sqrt(max(0, squares - (apart ** 2 * at * (n - at)) / n) / max(1, n - 2));
    if (spread < best.spread) best = { at, apart, spread, error: spread * sqrt(1 / at + 1 / (n - at)) };
  }
  return best;
}

/** Whether the later hits come on every second, third or fourth beat. */
function patternOf(later: readonly number[], landings: readonly Landing[]): { every?: number; first?: number } {
  const isLater = new Set(later);
  for (let every = 2; every <= 4; every++)
    for (let first = 0; first < every; first++) {
      const fits = landings.filter(({ pulse }) => (pulse % every === first) === isLater.has(pulse)).length;
      if (fits > 0.95 * landings.length) return { every, first };
    }
  return {};
}

/** Off the beat by half of it, or early by so much that it may be late by another beat. */
function placeOf(
  pulsesMs: readonly number[],
  onsetsMs: readonly number[],
  landings: readonly Landing[],
  { beatMs, recordedMs }: { beatMs: number; recordedMs: number },
): TakeFinding | null {
  const lateMs = mean(landings, (landing) => landing.lateMs);
  if (lateMs === undefined) return null;
  if (lateMs > EIGHTH_OFF[0] * beatMs && lateMs < EIGHTH_OFF[1] * beatMs) return { kind: 'offBeat', beats: 0.5 };
  if (lateMs > -DOUBTFUL_EARLY * beatMs) return null;
  const near = (ms: number) => abs(nearestTo(onsetsMs, ms) - ms) < beatMs / 8;
  const [first, last] = [pulsesMs[0] as number, pulsesMs.at(-1) as number];
  const nextMs = last + beatMs + lateMs;
  const wasHeard = nextMs + beatMs / 8 < recordedMs;
  const orLateMs = lateMs + beatMs;
  // Early for the first beat as well, and silent after the last: then it is early.
  if (near(first + lateMs) && !near(nextMs) && (wasHeard || orLateMs > MOST_LATE_MS)) return null;
  return { kind: 'ambiguous', lateMs, orLateMs };
}

function ambiguity({ lateMs, orLateMs }: TakeFinding & { kind: 'ambiguous' }): string {
  return `It is ${abs(lateMs).toFixed(0)} ms early or ${orLateMs.toFixed(0)} ms late; steady quarter notes can't tell which. Play slower, or a pattern with a rest.`;
}
