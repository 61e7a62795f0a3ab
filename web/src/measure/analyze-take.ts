import {
  againstOwnSync,
  analyzeRecording,
  bleedsInto,
  cutClicks,
  detectOnsets,
  findClicks,
  matchOnsets,
  measureChase,
  measureFollowing,
  measureLatency,
  measureProgramChange,
  measureReturnDrift,
  measureTempoRun,
  RecordingError,
  reportLatency,
  startsBySound,
  TempoMap,
  type BeatReference,
  type Beside,
  type Click,
  type Landing,
} from '@metronomo/core';
import type { Take, TakeBeats, TakeLine, TakePlan } from '../store/records';
import { leaderHeard } from '../store/take-kind';

/** A click may precede its planned time by this much, because audio and hub clock agree only approximately. */
const BEFORE_START_MS = 150;
const NUMBERS_A_LANDING = 3;
/** Hits that show whether a device bleeds into another’s channel, and the fewest of a device that is considered. */
const SOME_HITS = 64;
const FEWEST_HITS = 6;
/** A device is heard in another’s stead if that one begins within this time after it. */
const TOGETHER_MS = 2;
const MOST_LATER_MS = 60;
/** The click comes back after it was played, even through buffers that a busy computer let grow. */
const ROUND_TRIP_MS = [-1, 1000] as const;
/** Short takes are kept in memory while they are analyzed, 64 MB. */
const KEPT_SAMPLES = 16_000_000;
/** An hour at 300 BPM. */
const MOST_BEATS = 18_000;

type Measured = Pick<TakeLine, 'report' | 'landings' | 'pulsesMs' | 'onsetsMs' | 'result' | 'warning'>;

/** The beats by the click, and its sound, to be taken out of the devices' channels. */
interface ClickTrack {
  pulsesMs: number[];
  click: Click[];
}

/** Loads one channel of a take's audio on demand; a whole long take wouldn't fit in memory. */
export type LoadChannel = (channel: number) => Promise<Float32Array>;

/**
 * Measures every line of a take from its audio, or from the landings of a long run; a line that can't be measured says
 * why.
 */
export async function analyzeTake(
  take: Take,
  load: LoadChannel,
  run: Float64Array = new Float64Array(),
): Promise<Take> {
  const startedAt = performance.now();
  let frames = 0;
  const kept = new Map<number, Float32Array>();
  let room = KEPT_SAMPLES;
  const counted: LoadChannel = async (channel) => {
    const known = kept.get(channel);
    if (known) return known;
    const samples = await load(channel);
    frames = Math.max(frames, samples.length);
    if (samples.length <= room) {
      kept.set(channel, samples);
      room -= samples.length;
    }
    return samples;
  };
  let clicks: Promise<ClickTrack> | null = null;
  const { beats, sampleRate } = take;
  /** Computed once for all lines. */
  const findPulses = () =>
    (clicks ??= counted('clickChannel' in beats ? beats.clickChannel : 0).then((click) => {
      const pulsesMs = findClicks(click, sampleRate);
      return { pulsesMs, click: cutClicks(click, sampleRate, pulsesMs) };
    }));
  const source = { take, load: counted, findPulses, run };
  const alone: TakeLine[] = [];
  for (const line of take.lines) alone.push(await analyzeLine(line, source));
  const lines = await withoutOthers(alone, source);
  return { ...take, frames, lines, computeMs: performance.now() - startedAt };
}

interface Source {
  take: Take;
  load: LoadChannel;
  findPulses: () => Promise<ClickTrack>;
  run: Float64Array;
}

/** Measures once more what another device of the take bleeds into. */
async function withoutOthers(lines: readonly TakeLine[], source: Source): Promise<TakeLine[]> {
  const { take, load } = source;
  const { plan, sampleRate } = take;
  const inBeats = plan === undefined || plan.question === 'against' || plan.question === 'drift';
  if (!inBeats || lines.length < 2 || take.lines.some((line) => isSoundless(line, take))) return [...lines];
  const hitsOf = async ({ channel, onsetsMs }: TakeLine, every: number) =>
    cutClicks(
      await load(channel),
      sampleRate,
      onsetsMs.filter((_, i) => i % every === 0),
    );
  const few = new Map<TakeLine, Promise<Click[]>>();
  const fewOf = (line: TakeLine) => {
    const known = few.get(line) ?? hitsOf(line, Math.ceil(line.onsetsMs.length / SOME_HITS));
    few.set(line, known);
    return known;
  };
  const result: TakeLine[] = [];
  for (const line of lines) {
    const beside: Beside[] = [];
    const others = lines.filter((other) => mayHide(other, line));
    const sound = others.length > 0 ? await load(line.channel) : new Float32Array();
    for (const other of others)
      if (bleedsInto(sound, await fewOf(other), sampleRate))
        beside.push({ samples: await load(other.channel), hits: await hitsOf(other, 1) });
    result.push(beside.length > 0 ? await analyzeLine(line, source, beside) : line);
  }
  return result;
}

function lateOf({ report }: TakeLine): number {
  return report?.matched ? report.medianMs : 0;
}

/** What begins before a device, or seems to begin with it, may be heard in its stead. */
function mayHide(other: TakeLine, line: TakeLine): boolean {
  if (other === line || other.channel === line.channel || other.within || line.within) return false;
  if (other.onsetsMs.length < FEWEST_HITS || line.report === null) return false;
  const laterMs = lateOf(line) - lateOf(other);
  return !line.report.believable || (laterMs > -TOGETHER_MS && laterMs < MOST_LATER_MS);
}

async function analyzeLine(line: TakeLine, source: Source, beside: readonly Beside[] = []): Promise<TakeLine> {
  const { take } = source;
  const bare: TakeLine = { ...line };
  delete bare.problem;
  delete bare.result;
  delete bare.warning;
  try {
    const measured = corrected(await measureLine(line, source, beside), line.corrections);
    return { ...bare, ...measured, report: line.moved ? unreliable(measured.report) : measured.report };
  } catch (error) {
    if (!(error instanceof RecordingError || error instanceof RangeError)) throw error;
    return { ...bare, report: null, problem: problemText(error, take.plan), landings: [], pulsesMs: [], onsetsMs: [] };
  }
}

/** Where another device leads, its sound takes the place of the click. */
function problemText(error: Error, plan: TakePlan | undefined): string {
  const leader = leaderHeard(plan);
  if (leader === undefined || !(error instanceof RecordingError)) return error.message;
  switch (error.problem) {
    case 'silentReference':
      return `The input of ${leader} is silent. Start it, and check its cable, input and level.`;
    case 'noClick':
      return `No hits were found on the input of ${leader}. Have it play quarter notes with a sharp attack.`;
    default:
      return error.message;
  }
}

function unreliable(report: TakeLine['report']): TakeLine['report'] {
  return report && { ...report, believable: false, reason: 'The offset changed during the take. Measure again.' };
}

/** An imported take without audio has only its stored times. */
function isSoundless({ pulsesMs }: TakeLine, { frames }: Take): boolean {
  return frames === 0 && pulsesMs.length > 0;
}

async function measureLine(line: TakeLine, source: Source, beside: readonly Beside[]): Promise<Measured> {
  const { take, load, findPulses, run } = source;
  const { plan, sampleRate } = take;
  const soundless = isSoundless(line, take);
  const played = async () => (soundless ? line.pulsesMs : (await findPulses()).pulsesMs);
  const heard = async () =>
    soundless ? line.onsetsMs : detectOnsets(await load(line.channel), sampleRate).map(({ timeMs }) => timeMs);
  switch (plan?.question) {
    case 'chase':
    case 'starts':
      // By MIDI, measured when it was recorded.
      if ('port' in plan && line.result) return { ...ofMidi(line), result: line.result };
      return startsOf(plan, await played(), await heard());
    case 'startsBySound': {
      const [pulsesMs, onsetsMs] = [await played(), await heard()];
      const report = startsBySound({ pulsesMs, onsetsMs });
      return { report: null, landings: [], pulsesMs, onsetsMs, result: { question: 'starts', report } };
    }
    case 'tempo':
      return followingOf(plan, await played(), await heard());
    case 'tempoRun':
      return tempoRunOf(plan, await played(), await heard());
    case 'drift':
      return plan.leader === undefined
        ? driftOf(line.channel, run)
        : driftAgainst(await latenessOf(line, source, beside));
    case 'program': {
      const report = measureProgramChange(await load(line.channel), sampleRate, plan.notes);
      return { report: null, landings: [], pulsesMs: [], onsetsMs: [], result: { question: 'program', report } };
    }
    case 'loop':
      // What came through the hub was matched to its notes when it was recorded.
      return line === take.lines[1] ? ofMidi(line) : ofTimes(line);
    case 'midiReturn':
      return ofMidi(line);
    case 'leaderSound': {
      const measured = await latenessOf(line, source, beside);
      return measured.report ? { ...measured, report: againstOwnSync(measured.report) } : measured;
    }
    default:
      return latenessOf(line, source, beside);
  }
}

/** Each hit against its beat. */
async function latenessOf(
  line: TakeLine,
  { take, load, findPulses }: Source,
  beside: readonly Beside[],
): Promise<Measured> {
  if (isSoundless(line, take)) return ofTimes(line);
  const { beats, plan, sampleRate, gaps = 0 } = take;
  const counted = 'bpm' in beats ? beats.clicksMs : undefined;
  if (counted && gaps > 0)
    throw new RangeError('Audio dropped out during the take, so its frames can’t be counted. Measure again.');
  const isRoundTrip = counted !== undefined && plan?.question === 'calibration';
  const reference = isRoundTrip
    ? { pulsesMs: counted, click: [], range: ROUND_TRIP_MS }
    : await referenceOf(beats, findPulses);
  const sound = await load(line.channel);
  return line.within
    ? analyzeStretch(sound, sampleRate, reference, line.within)
    : analyzeRecording(sound, sampleRate, reference, beside);
}

async function referenceOf(
  beats: TakeBeats,
  findPulses: () => Promise<ClickTrack>,
): Promise<{ bpm: number; firstBeatMs: number } | ClickTrack> {
  if ('beatsMs' in beats) return { pulsesMs: beats.beatsMs, click: [] };
  if ('clickChannel' in beats) return findPulses();
  return beats.clicksMs ? { pulsesMs: beats.clicksMs, click: [] } : beats;
}

/** Measured when it was recorded, against what the hub played then. */
function ofMidi({ report, landings, pulsesMs, onsetsMs }: TakeLine): Measured {
  return { report, landings, pulsesMs, onsetsMs };
}

/** From stored times. */
function ofTimes({ pulsesMs, onsetsMs }: TakeLine): Measured {
  const { landings } = matchOnsets(pulsesMs, onsetsMs);
  return { pulsesMs, onsetsMs, landings, report: measureLatency({ pulsesMs, onsetsMs }) };
}

/** Analyzes one stretch; times stay relative to the whole take. */
function analyzeStretch(
  sound: Float32Array,
  sampleRate: number,
  beats: { bpm: number; firstBeatMs: number } | ClickTrack,
  [fromMs, toMs]: [number, number],
): Measured {
  const at = (ms: number) => Math.max(0, Math.round((ms * sampleRate) / 1000));
  const zeroMs = (at(fromMs) / sampleRate) * 1000;
  const later = (times: readonly number[], ms: number) => times.map((time) => time + ms);
  const inside: BeatReference =
    'bpm' in beats
      ? { ...beats, firstBeatMs: firstBeatAfter(zeroMs, beats) - zeroMs }
      : {
          pulsesMs: later(
            beats.pulsesMs.filter((ms) => ms >= zeroMs && ms < toMs),
            -zeroMs,
          ),
          click: beats.click.flatMap((click) =>
            click.at >= at(zeroMs) && click.at < at(toMs) ? [{ ...click, at: click.at - at(zeroMs) }] : [],
          ),
        };
  const measured = analyzeRecording(sound.subarray(at(fromMs), at(toMs)), sampleRate, inside);
  return { ...measured, pulsesMs: later(measured.pulsesMs, zeroMs), onsetsMs: later(measured.onsetsMs, zeroMs) };
}

function firstBeatAfter(ms: number, { bpm, firstBeatMs }: { bpm: number; firstBeatMs: number }): number {
  const beatMs = 60_000 / bpm;
  return firstBeatMs + Math.max(0, Math.ceil((ms - firstBeatMs) / beatMs)) * beatMs;
}

function startsOf(
  { question, startedMs }: TakePlan & { question: 'chase' | 'starts' },
  clicks: number[],
  heard: number[],
): Measured {
  const starts = startedMs.map((fromMs, i) => {
    const toMs = (startedMs[i + 1] ?? Infinity) - BEFORE_START_MS;
    const within = (ms: number) => ms >= fromMs - BEFORE_START_MS && ms < toMs;
    const pulsesMs = clicks.filter(within);
    return { startedMs: pulsesMs[0] ?? fromMs, pulsesMs, onsetsMs: heard.filter(within) };
  });
  const report = measureChase(starts);
  return { report: null, landings: [], pulsesMs: clicks, onsetsMs: heard, result: { question, report } };
}

/** The click's times in the plan, or its expected time where it wasn't heard. */
function followingOf(plan: TakePlan & { question: 'tempo' }, clicks: number[], heard: number[]): Measured {
  const { beganMs, beats } = plan;
  const map = tempoPlan(plan);
  const first = clicks.find((ms) => ms > beganMs - BEFORE_START_MS) ?? beganMs;
  const pulsesMs = Array.from({ length: 4 * beats }, (_, beat) => {
    const due = first + map.msAt(beat);
    return clicks.find((ms) => Math.abs(ms - due) < BEFORE_START_MS) ?? due;
  });
  const measure = (from: number, to: number, changes: number, until: number) => {
    const part = pulsesMs.slice(from, to);
    const [begin = 0, end = 0] = [part[0], part.at(-1)];
    const onsetsMs = heard.filter((ms) => ms > begin - BEFORE_START_MS && ms < end + 2 * BEFORE_START_MS);
    return measureFollowing({ pulsesMs: part, onsetsMs, fromMs: pulsesMs[changes] ?? 0, toMs: pulsesMs[until] ?? 0 });
  };
  const step = measure(0, 2 * beats, beats, beats);
  const ramp = measure(beats, 4 * beats, 2 * beats, 3 * beats);
  const landings: Landing[] = nearestTo(pulsesMs, heard, step.before.medianMs);
  return { report: step.before, landings, pulsesMs, onsetsMs: heard, result: { question: 'tempo', step, ramp } };
}

/** By the song’s map, where it is known: in some time signatures the click isn’t in quarter notes. */
function tempoRunOf(plan: TakePlan & { question: 'tempoRun' }, clicks: number[], heard: number[]): Measured {
  const pulsesMs = plan.tempo.length > 0 ? quarterNotes(plan, clicks) : clicks;
  const report = measureTempoRun({ pulsesMs, onsetsMs: heard, bySound: plan.leader !== undefined });
  const landings = nearestTo(pulsesMs, heard, report.before.medianMs);
  return { report: report.before, landings, pulsesMs, onsetsMs: heard, result: { question: 'tempoRun', report } };
}

function quarterNotes({ beganMs, tempo }: TakePlan & { question: 'tempoRun' }, clicks: number[]): number[] {
  const map = new TempoMap(tempo);
  const first = clicks.find((ms) => ms > beganMs - BEFORE_START_MS);
  const last = clicks.at(-1);
  if (first === undefined || last === undefined) return [];
  const beats = Math.min(MOST_BEATS, Math.floor(map.beatAt(last + BEFORE_START_MS - first)) + 1);
  return Array.from({ length: beats }, (_, beat) => {
    const due = first + map.msAt(beat);
    return clicks.find((ms) => Math.abs(ms - due) < BEFORE_START_MS) ?? due;
  });
}

function nearestTo(pulsesMs: number[], heard: number[], usualMs: number): Landing[] {
  return pulsesMs.flatMap((pulseMs, pulse) => {
    const nearest = heard.reduce((best, ms) => {
      const away = (one: number) => Math.abs(one - pulseMs - usualMs);
      return away(ms) < away(best) ? ms : best;
    }, Infinity);
    return Math.abs(nearest - pulseMs - usualMs) < BEFORE_START_MS ? [{ pulse, lateMs: nearest - pulseMs }] : [];
  });
}

/** A constant tempo, a step to another, a ramp back, and the first again, each over this many beats. */
export function tempoPlan({ bpm, otherBpm, beats }: { bpm: number; otherBpm: number; beats: number }): TempoMap {
  return new TempoMap([
    { beat: 0, bpm },
    { beat: beats, bpm: otherBpm },
    { beat: 2 * beats, bpm: otherBpm, curve: 'linear' },
    { beat: 3 * beats, bpm },
  ]);
}

/** From a long run: input channel, due time and lateness of each landing, interleaved. */
function driftOf(channel: number, run: Float64Array): Measured {
  const landings: { dueMs: number; lateMs: number }[] = [];
  for (let at = 0; at < run.length; at += NUMBERS_A_LANDING)
    if (run[at] === channel) landings.push({ dueMs: run[at + 1] as number, lateMs: run[at + 2] as number });
  const report = measureReturnDrift(landings);
  const startMs = landings[0]?.dueMs ?? 0;
  const numbered = landings.map(({ lateMs }, pulse) => ({ pulse, lateMs }));
  return {
    report: reportLatency({ landings: numbered, missed: 0, extra: 0 }),
    landings: numbered,
    pulsesMs: landings.map(({ dueMs }) => dueMs - startMs),
    onsetsMs: [],
    result: { question: 'drift', report },
  };
}

/** From the landings of a take. @throws RangeError if something else than drift keeps them from being one latency. */
function driftAgainst(measured: Measured): Measured {
  const { landings, pulsesMs, report: lateness } = measured;
  const drifts = lateness?.findings?.some(({ kind }) => kind === 'drift');
  if (lateness?.reason !== undefined && !drifts) throw new RangeError(lateness.reason);
  const report = measureReturnDrift(landings.map(({ pulse, lateMs }) => ({ dueMs: pulsesMs[pulse] ?? 0, lateMs })));
  return { ...measured, result: { question: 'drift', report } };
}

/** Applies corrections made by hand. */
function corrected(measured: Measured, corrections: TakeLine['corrections']): Measured {
  const { report, landings, pulsesMs } = measured;
  if (!corrections || !report) return measured;
  const byHand = pulsesMs.flatMap((_, pulse): Landing[] => {
    const lateMs = corrections[pulse];
    if (lateMs === null) return [];
    const found = landings.find((one) => one.pulse === pulse);
    if (lateMs !== undefined) return [{ pulse, lateMs }];
    return found ? [found] : [];
  });
  const rejected = Object.values(corrections).filter((lateMs) => lateMs === null).length;
  const missed = pulsesMs.length - rejected - byHand.length;
  return { ...measured, landings: byHand, report: reportLatency({ landings: byHand, missed, extra: report.extra }) };
}
