import { compareLandings, NORMAL_95, type LandingComparison } from '@metronomo/core';
import { median } from 'd3-array';
import { otherBuffers } from '../store/conditions';
import type { Take, TakeLine } from '../store/records';
import { decimal, whole } from '../words/numbers';

/** One condition of two takes. */
export interface Condition {
  what: string;
  first: string;
  second: string;
  differs: boolean;
}

/** One follower in two takes. */
export interface LineComparison {
  name: string;
  gearId: string | null;
  first: TakeLine;
  second: TakeLine;
  /** How much later the second take is; null if it can't be computed, with the reason. */
  shift: LandingComparison | null;
  problem: string | null;
  /** Usual variation of the median between takes, ms; null if there are too few. */
  usualMs: number | null;
  /** Significant both within the takes and against the usual variation; null if it can't be computed. */
  real: boolean | null;
  /** Share of the shift due to the offset change, ms. */
  byOffsetMs: number;
}

const MIN_TAKES = 4;
const NORMAL_SCALE = 1.4826;
/** Beyond this many standard deviations a difference is significant at 95%. */

/** Lines of both takes that belong to the same device. `others`: takes of the same rig, for the usual variation. */
export function compareTakes(first: Take, second: Take, others: readonly Take[]): LineComparison[] {
  return first.lines.flatMap((line) => {
    const same = second.lines.find(({ gearId, name }) => (line.gearId ? gearId === line.gearId : name === line.name));
    return same ? [compareLines(line, same, usualOf(line.gearId, [first, second], others))] : [];
  });
}

function compareLines(first: TakeLine, second: TakeLine, usualMs: number | null): LineComparison {
  const base = { name: second.name, gearId: second.gearId, first, second, usualMs };
  const byOffsetMs = second.offsetMs - first.offsetMs;
  try {
    const shift = compareLandings(valuesOf(first), valuesOf(second));
    // Test only the part of the shift that the offset change doesn't explain.
    const unexplained = shift.shiftMs - byOffsetMs;
    const beyondUsual = usualMs === null || Math.abs(unexplained) > NORMAL_95 * Math.SQRT2 * usualMs;
    const [low, high] = shift.ci95Ms;
    const beyondChance = byOffsetMs === 0 ? shift.told : low > byOffsetMs || high < byOffsetMs;
    return { ...base, byOffsetMs, shift, problem: null, real: beyondChance && beyondUsual };
  } catch (error) {
    if (!(error instanceof RangeError)) throw error;
    return { ...base, byOffsetMs, shift: null, problem: error.message, real: null };
  }
}

/** Of repeated starts, each is one landing. */
function valuesOf({ landings, result }: TakeLine): number[] {
  if (result?.question === 'chase' || result?.question === 'starts')
    return result.report.starts.flatMap(({ landsMs }) => landsMs ?? []);
  return landings.map(({ lateMs }) => lateMs);
}

/** Robust standard deviation (MAD) of the medians, offsets removed, over all other takes of the same kind. */
function usualOf(gearId: string | null, [first, second]: [Take, Take], others: readonly Take[]): number | null {
  const middles = others
    .filter(
      ({ id, plan, source }) =>
        id !== first.id && id !== second.id && source === 'live' && plan?.question === first.plan?.question,
    )
    .flatMap(({ lines }) => lines)
    .filter((line) => line.gearId === gearId && gearId !== null && line.report?.believable && !line.moved)
    .map(({ report, offsetMs }) => (report?.medianMs ?? 0) - offsetMs);
  if (middles.length < MIN_TAKES) return null;
  const middle = median(middles) ?? 0;
  return NORMAL_SCALE * (median(middles, (one) => Math.abs(one - middle)) ?? 0);
}

/** Conditions of both takes, differing ones first. */
export function conditions(
  first: Take,
  second: Take,
  gearId: string | null,
  portName: (portId: string) => string = (portId) => portId,
): Condition[] {
  const rows: Condition[] = [];
  const say = (what: string, of: (take: Take) => string | null, differs?: boolean) => {
    const [a, b] = [of(first), of(second)];
    if (a === null && b === null) return;
    rows.push({ what, first: a ?? '—', second: b ?? '—', differs: differs ?? a !== b });
  };
  const line = (take: Take) => take.lines.find((one) => one.gearId === gearId && gearId !== null) ?? take.lines[0];
  const buffers = otherBuffers(first.conditions?.bufferMs, second.conditions?.bufferMs ?? null);
  say('Dropouts', (take) => (take.gaps ? `${take.gaps}` : null));
  say('Hub offset', (take) => `${decimal(line(take)?.offsetMs ?? 0, 2)} ms`);
  say('Device offset', (take) => line(take)?.ownOffset?.toString() ?? null);
  say('Audio input', (take) => take.input || null);
  say('Input channel', (take) => `${(line(take)?.channel ?? 0) + 1}`);
  say('Sample rate', (take) => (take.sampleRate > 0 ? `${take.sampleRate} Hz` : null));
  say(
    'Audio buffer latency',
    (take) => (take.conditions?.bufferMs == null ? null : `${whole(take.conditions.bufferMs)} ms`),
    buffers,
  );
  say('Tempo', (take) => (take.bpm === null ? null : `${decimal(take.bpm, 2)} BPM`));
  say('Driven by', (take) =>
    take.drive === 'notes' ? 'notes from the hub' : take.drive === 'clock' ? 'MIDI clock' : null,
  );
  say('Output port', (take) => {
    const portId = line(take)?.wiredTo ?? null;
    return portId === null ? null : portName(portId);
  });
  say('App version', (take) => take.conditions?.version ?? null);
  return rows.sort((a, b) => Number(b.differs) - Number(a.differs));
}
