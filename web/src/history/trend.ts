import type { Take } from '../store/records';
import { conditions } from './compare-takes';

/** One take of one piece of gear, as a place on its trend. */
export interface TrendPoint {
  takeId: string;
  /** Epoch milliseconds. */
  at: number;
  /** As it landed, with the offset that was in force; and without it, with the 95 % interval of that. */
  landedMs: number;
  offsetMs: number;
  naturalMs: number;
  ciMs: [number, number];
  /** What was otherwise than in the take before. */
  changed: string[];
}

/** What follows from other conditions by itself. */
const NOT_TOLD = new Set(['Offset in the hub', 'Version']);

/** The takes of a piece of gear that can be believed, the oldest first. */
export function trendOf(takes: readonly Take[], gearId: string): TrendPoint[] {
  const points: TrendPoint[] = [];
  let before: Take | null = null;
  for (const take of [...takes].sort((a, b) => a.startedAt - b.startedAt)) {
    const line = take.lines.find((one) => one.gearId === gearId);
    // Of a recording nobody knows which offset was in force.
    if (take.plan || take.source !== 'live' || !line?.report?.believable || line.moved) continue;
    const { medianMs, ci95Ms } = line.report;
    const { offsetMs } = line;
    const differing = before ? conditions(before, take, gearId).filter(({ differs }) => differs) : [];
    points.push({
      takeId: take.id,
      at: take.startedAt,
      landedMs: medianMs,
      offsetMs,
      naturalMs: medianMs - offsetMs,
      ciMs: [ci95Ms[0] - offsetMs, ci95Ms[1] - offsetMs],
      changed: differing
        .filter(({ what }) => !NOT_TOLD.has(what))
        .map(({ what, second }) => `${what.toLowerCase()} ${second}`),
    });
    before = take;
  }
  return points;
}
