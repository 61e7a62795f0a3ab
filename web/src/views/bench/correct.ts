import { tell } from '../../app/toast-store';
import { measure } from '../../hub/session';
import { database } from '../../store/database';
import type { Take, TakeLine } from '../../store/records';

/**
 * Says by hand how late a beat of the line at `index` landed; with null, that it does not count; with undefined, that it is as measured. Without a beat,
 * for all of them. The take is computed again from its sound.
 */
export async function correct(
  take: Take,
  index: number,
  pulse: number | null,
  lateMs: number | null | undefined,
): Promise<void> {
  const before = take.lines;
  const lines = before.map((line, i) => (i === index ? withCorrection(line, pulse, lateMs) : line));
  await put(take.id, lines);
  if (lateMs === null) tell('This beat does not count any more.', () => void put(take.id, before));
}

export function rejectedOf({ corrections = {} }: TakeLine): string[] {
  return Object.keys(corrections).filter((pulse) => corrections[pulse] === null);
}

function withCorrection(line: TakeLine, pulse: number | null, lateMs: number | null | undefined): TakeLine {
  const { corrections = {}, ...bare } = line;
  if (pulse === null) return bare;
  const others = Object.fromEntries(Object.entries(corrections).filter(([key]) => key !== String(pulse)));
  return { ...bare, corrections: lateMs === undefined ? others : { ...others, [pulse]: lateMs } };
}

async function put(takeId: string, lines: TakeLine[]): Promise<void> {
  await database.takes.update(takeId, { lines });
  await measure.analyze(takeId);
}
