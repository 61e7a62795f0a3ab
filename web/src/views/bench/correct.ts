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
  await database.takes
    .where('id')
    .equals(take.id)
    .modify((now) => {
      // As it stands now: another may have been corrected since the screen was drawn.
      now.lines = now.lines.map((line, i) => (i === index ? withCorrection(line, pulse, lateMs) : line));
    });
  await measure.analyze(take.id);
  if (lateMs !== null || pulse === null) return;
  const before = take.lines[index]?.corrections?.[pulse];
  tell('This beat does not count any more.', () => void correct(take, index, pulse, before));
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
