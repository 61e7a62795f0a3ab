import type { Take } from '../store/records';
import { conditions } from './compare-takes';

/** One take of a device, as a point of its trend. */
export interface TrendPoint {
  takeId: string;
  /** Epoch milliseconds. */
  at: number;
  /** As it landed with its offset, and without the offset, with that value's 95% interval. */
  landedMs: number;
  offsetMs: number;
  naturalMs: number;
  ciMs: [number, number];
  /** Conditions that differ from the previous take. */
  changed: string[];
}

/** Conditions that aren't worth showing. */
const NOT_TOLD = new Set(['Hub offset', 'App version']);

/** The reliable takes of a device, oldest first. */
export function trendOf(takes: readonly Take[], gearId: string): TrendPoint[] {
  const points: TrendPoint[] = [];
  let before: Take | null = null;
  for (const take of [...takes].sort((a, b) => a.startedAt - b.startedAt)) {
    const line = take.lines.find((one) => one.gearId === gearId);
    // The offset during a recording is unknown.
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
