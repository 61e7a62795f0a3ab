import FFT from 'fft.js';
import { mean, median } from 'd3-array';
import { detectOnsets } from './detect-onsets';

const { abs, ceil, exp, floor, log, log10, log2, max, round } = Math;

/** A note of the same pitch each time, and how long before it the device was sent its program. */
export interface ProgramNote {
  /** When it was due, ms from the first sample. */
  atMs: number;
  /** Which of the two programs. */
  program: 0 | 1;
  leadMs: number;
}

/** What the note sounded like: the program it should have, that program but late, both at once, the one before, or silence. */
export type ProgramHeard = 'new' | 'late' | 'mixed' | 'old' | 'nothing';

export interface ProgramReport {
  /** By ascending lead. */
  notes: { leadMs: number; heard: ProgramHeard }[];
  /** The longest lead that was too short; null if even the shortest was enough. */
  tooShortMs: number | null;
  /** The shortest lead from which on every note had its program and came in time; null if none was enough. */
  enoughMs: number | null;
}

const SHORTEST_MS = 4;
const LONGEST_MS = 1000;
const LEADS = 20;
/** Beside each other in time, long and short ones take turns. */
const STRIDE = 7;
/** Notes this long after their program show what it sounds like. */
const SURE_MS = 4000;
const SURE_NOTES = 3;
const NOTE_EVERY_MS = 500;
/** The last note after each change. */
const REST_MS = 1600;
/** Audio and hub clock agree only approximately. */
const EARLIEST_MS = -150;
const LATEST_MS = 500;
/** Of the sound that tells programs apart. */
const WINDOW_MS = 180;
const BANDS = 24;
const [LOWEST_HZ, HIGHEST_HZ] = [60, 12_000];
/** Below the loudest band, a band counts as silent. */
const FLOOR_DB = 40;
/** Two programs that differ by less, on average over all bands, can't be told apart. */
const LEAST_DIFFERENCE_DB = 2.5;
const DIFFERENCE_TO_SPREAD = 3;
/** How far from its own program, and towards the other, a note may sound: 0 is the one, 1 the other. */
const NEW_BELOW = 0.3;
const OLD_ABOVE = 0.7;
/** A note of a busy device is late by more than this and by more than its usual jitter allows. */
const LATE_MS = 4;
const LATE_SPREADS = 6;

/** The leads to try, in the order to play them: geometric, so that each is known within the same share. */
export function programLeads(): number[] {
  const lead = (i: number) => round(SHORTEST_MS * exp((log(LONGEST_MS / SHORTEST_MS) * i) / (LEADS - 1)));
  return Array.from({ length: LEADS }, (_, i) => lead((i * STRIDE) % LEADS));
}

/**
 * The notes of a test that begins at `fromMs`, in order; the changes come `leadMs` before them. First what each program
 * sounds like, then one change per lead with a note after it and another where every device should be ready.
 */
export function planProgramTest(fromMs: number): ProgramNote[] {
  const noteAfter = (changeMs: number, program: 0 | 1) => (leadMs: number) => ({
    atMs: changeMs + leadMs,
    program,
    leadMs,
  });
  const sureMs = SURE_MS + SURE_NOTES * NOTE_EVERY_MS;
  const sure = ([0, 1] as const).flatMap((program) =>
    Array.from({ length: SURE_NOTES }, (_, i) => SURE_MS + i * NOTE_EVERY_MS).map(
      noteAfter(fromMs + program * sureMs, program),
    ),
  );
  const tried = programLeads().flatMap((leadMs, i) =>
    [leadMs, REST_MS].map(noteAfter(fromMs + 2 * sureMs + i * (REST_MS + NOTE_EVERY_MS), (i % 2) as 0 | 1)),
  );
  return [...sure, ...tried];
}

/**
 * How long a device needs to change its program, by the sound of notes that follow the change at different leads. What
 * each program sounds like is learned from the notes at least four seconds after their change (two of each at least).
 * Sounds are compared by their levels in bands of a third of an octave; a note has the program it sounds closer to.
 *
 * Notes after the end of the recording aren't judged.
 *
 * @throws RangeError if nothing is heard, or if the two programs sound alike.
 */
export function measureProgramChange(
  samples: Float32Array,
  sampleRate: number,
  planned: readonly ProgramNote[],
): ProgramReport {
  const notes = planned.filter(({ atMs }) => ((atMs + LATEST_MS) / 1000) * sampleRate < samples.length);
  const onsets = notes.flatMap(({ atMs }) => onsetsNear(samples, sampleRate, atMs));
  const isSure = ({ leadMs }: ProgramNote) => leadMs >= SURE_MS;
  const firstLateness = notes.filter(isSure).flatMap(({ atMs }) => {
    const first = onsets.find((ms) => ms > atMs + EARLIEST_MS && ms < atMs + LATEST_MS);
    return first === undefined ? [] : [first - atMs];
  });
  if (!notes.some((note) => isSure(note) && note.program === 1))
    throw new RangeError('The test was finished too early to know what both programs sound like. Let it run longer.');
  const usualMs = median(firstLateness);
  if (usualMs === undefined || firstLateness.length < notes.filter(isSure).length)
    throw new RangeError('The test notes weren’t heard. Check the MIDI channel, the audio return and its level.');
  const heard = notes.map((note) => {
    const lateMs = nearest(onsets, note.atMs, usualMs);
    return { note, lateMs, levels: lateMs === null ? null : bandLevels(samples, sampleRate, note.atMs + lateMs) };
  });
  const sure = ([0, 1] as const).map((program) =>
    heard.flatMap(({ note, levels }) => (isSure(note) && note.program === program && levels ? [levels] : [])),
  );
  const [one, other] = sure.map(meanLevels);
  if (!one || !other)
    throw new RangeError('The test notes weren’t heard. Check the MIDI channel, the audio return and its level.');
  const difference = distance(one, other);
  const spread = max(...sure.flatMap((all, i) => all.map((levels) => distance(levels, i === 0 ? one : other))));
  if (difference < LEAST_DIFFERENCE_DB || difference < DIFFERENCE_TO_SPREAD * spread)
    throw new RangeError('Both programs sound alike on this note. Choose two that differ more.');
  const jitterMs = median(firstLateness, (ms) => abs(ms - usualMs)) ?? 0;
  const lateFrom = usualMs + max(LATE_MS, LATE_SPREADS * jitterMs);
  const judged = heard
    .filter(({ note }) => !isSure(note))
    .map(({ note: { leadMs, program }, lateMs, levels }) => ({
      leadMs,
      heard: judge(
        levels,
        lateMs !== null && lateMs > lateFrom,
        program === 0 ? one : other,
        program === 0 ? other : one,
      ),
    }))
    .sort((a, b) => a.leadMs - b.leadMs);
  return { notes: judged, ...threshold(judged) };
}

function threshold(notes: ProgramReport['notes']): Pick<ProgramReport, 'tooShortMs' | 'enoughMs'> {
  const tooShortMs = notes.findLast(({ heard }) => heard !== 'new')?.leadMs ?? null;
  return { tooShortMs, enoughMs: notes.find(({ leadMs }) => leadMs > (tooShortMs ?? 0))?.leadMs ?? null };
}

function judge(levels: number[] | null, isLate: boolean, own: number[], before: number[]): ProgramHeard {
  if (!levels) return 'nothing';
  const [fromOwn, fromBefore] = [distance(levels, own), distance(levels, before)];
  const share = fromOwn / max(1e-9, fromOwn + fromBefore);
  if (share > OLD_ABOVE) return 'old';
  if (share >= NEW_BELOW) return 'mixed';
  return isLate ? 'late' : 'new';
}

function onsetsNear(samples: Float32Array, sampleRate: number, atMs: number): number[] {
  const at = (ms: number) => max(0, round((ms / 1000) * sampleRate));
  const from = at(atMs + EARLIEST_MS);
  const part = samples.subarray(from, at(atMs + LATEST_MS));
  return detectOnsets(part, sampleRate).map(({ timeMs }) => (from / sampleRate) * 1000 + timeMs);
}

/** Lateness of the onset closest to where the note usually sounds; null if there is none. */
function nearest(onsets: readonly number[], atMs: number, usualMs: number): number | null {
  const inside = onsets.map((ms) => ms - atMs).filter((ms) => ms > EARLIEST_MS && ms < LATEST_MS);
  return inside.length === 0
    ? null
    : inside.reduce((best, ms) => (abs(ms - usualMs) < abs(best - usualMs) ? ms : best));
}

/** Level of each band over the window from `fromMs`, dB below the loudest, between -40 and 0. */
function bandLevels(samples: Float32Array, sampleRate: number, fromMs: number): number[] {
  const from = max(0, round((fromMs / 1000) * sampleRate));
  const length = round((WINDOW_MS / 1000) * sampleRate);
  const size = 2 ** ceil(log2(length));
  const padded = new Float64Array(size);
  padded.set(samples.subarray(from, from + length));
  const transform = new FFT(size);
  const spectrum = transform.createComplexArray();
  transform.realTransform(spectrum, padded);
  const power = new Float64Array(BANDS);
  for (let bin = 1; bin < size / 2; bin++) {
    const hz = (bin * sampleRate) / size;
    const band = floor((BANDS * log(hz / LOWEST_HZ)) / log(HIGHEST_HZ / LOWEST_HZ));
    if (band >= 0 && band < BANDS)
      power[band] =
        (power[band] as number) + (spectrum[2 * bin] as number) ** 2 + (spectrum[2 * bin + 1] as number) ** 2;
  }
  const loudest = max(...power);
  return Array.from(power, (one) => max(-FLOOR_DB, 10 * log10(max(1e-12, one / max(1e-30, loudest)))));
}

function meanLevels(all: readonly number[][]): number[] | undefined {
  if (all.length < 2) return undefined;
  return Array.from({ length: BANDS }, (_, band) => mean(all, (levels) => levels[band]) ?? 0);
}

/** Mean difference over all bands, dB. */
function distance(one: readonly number[], other: readonly number[]): number {
  return mean(one, (level, band) => abs(level - (other[band] as number))) ?? 0;
}
