import { max } from 'd3-array';
import type { ClockTake, Take, TakeLine } from './records';

/** What was measured while somebody led; null was not. */
export interface LeaderFigures {
  id: string;
  /** Of its own clock, as it arrives at the hub. */
  clock: { jitterMs: number; ppm: number; drifts: boolean } | null;
  /** The same with notes and controllers on its line. */
  busy: { jitterMs: number } | null;
  /** The follower that varied most from beat to beat, ms. */
  followers: { worst: string; jitterMs: number } | null;
  /** The follower whose starts varied most, ms. */
  starts: { worst: string; spreadMs: number; failed: number } | null;
}

/** The newest figures of each candidate, from takes that are newest first. */
export function leaderFigures(
  ids: readonly string[],
  takes: readonly Take[],
  clockTakes: readonly ClockTake[],
): LeaderFigures[] {
  return ids.map((id) => {
    const led = takes.filter((take) => take.ledBy === id && take.status === 'done' && take.source === 'live');
    const clocks = clockTakes.filter(({ gearIds, result }) => gearIds.includes(id) && result !== null);
    const quiet = clocks.find(({ traffic }) => !traffic)?.result;
    const busy = clocks.find(({ traffic }) => traffic)?.result;
    const take = led.find(({ plan, drive }) => !plan && drive === 'clock');
    const starts = led.find(({ plan }) => plan?.question === 'starts');
    return {
      id,
      clock: quiet ? { jitterMs: quiet.report.jitterRmsMs, ppm: quiet.drift.ppm, drifts: quiet.drift.told } : null,
      busy: busy ? { jitterMs: busy.report.jitterRmsMs } : null,
      followers: worstOf(
        take?.lines ?? [],
        ({ report }) => (report?.believable ? report.spreadMs : null),
        (jitterMs) => ({
          jitterMs,
        }),
      ),
      starts: startsOf(starts?.lines ?? []),
    };
  });
}

function startsOf(lines: readonly TakeLine[]): LeaderFigures['starts'] {
  const reportOf = ({ result }: TakeLine) => (result?.question === 'starts' ? result.report : null);
  const failed = max(lines, (line) => reportOf(line)?.failed) ?? 0;
  return worstOf(
    lines,
    (line) => reportOf(line)?.landsMs?.spread ?? null,
    (spreadMs) => ({ spreadMs, failed }),
  );
}

/** The line with the largest value. */
function worstOf<Told>(
  lines: readonly TakeLine[],
  valueOf: (line: TakeLine) => number | null,
  tell: (value: number) => Told,
): ({ worst: string } & Told) | null {
  let found: { worst: string; value: number } | null = null;
  for (const line of lines) {
    const value = valueOf(line);
    if (value !== null && value > (found?.value ?? -Infinity)) found = { worst: line.name, value };
  }
  return found && { worst: found.worst, ...tell(found.value) };
}

/** Two spreads of a few bars closer than this ratio can’t be told apart: each is known to about a fifth. */
const CLEAR_RATIO = 1.5;
const CLEAR_MS = 0.2;

/** The best leader by measurement: its followers vary least. Null unless two were measured and differ clearly. */
export function bestLeader(figures: readonly LeaderFigures[]): LeaderFigures | null {
  const [best, next] = figures.filter(({ followers }) => followers !== null).sort((a, b) => jitterOf(a) - jitterOf(b));
  if (!best || !next) return null;
  const isClear = jitterOf(next) > CLEAR_RATIO * jitterOf(best) && jitterOf(next) - jitterOf(best) > CLEAR_MS;
  return isClear ? best : null;
}

function jitterOf({ followers }: LeaderFigures): number {
  return followers?.jitterMs ?? Infinity;
}
