import { showToast } from '../../toasts/toast-store';
import { measure } from '../../studio/workers';
import { database } from '../../store/database';
import type { Take, TakeLine } from '../../store/records';

/**
 * Corrects the lateness of a beat of the line at `index` by hand; null excludes the beat, undefined resets it to
 * measured. Without a beat, applies to all. The take is re-analyzed from its audio.
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
      // Read the current record: another beat may have been corrected since rendering.
      now.lines = now.lines.map((line, i) => (i === index ? withCorrection(line, pulse, lateMs) : line));
    });
  await measure.analyze(take.id);
  if (lateMs !== null || pulse === null) return;
  const before = take.lines[index]?.corrections?.[pulse];
  showToast('Beat excluded.', () => void correct(take, index, pulse, before));
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
