import { database } from '../store/database';
import type { Take, TakeLine } from '../store/records';
import { showToast } from '../toasts/toast-store';
import { remember } from './undoable';
import { measure } from './workers';

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
  const name = take.lines[index]?.name ?? '';
  const words = pulse === null ? `corrections of ${name}` : `correction of beat ${pulse + 1}, ${name}`;
  const before = await changeLine(take.id, index, (line) => withCorrection(line, pulse, lateMs));
  const undo = remember(words, async () => {
    await changeLine(take.id, index, (line) => {
      const bare = withCorrection(line, null, undefined);
      return before === undefined ? bare : { ...bare, corrections: before };
    });
    await measure.analyze(take.id);
  });
  await measure.analyze(take.id);
  if (lateMs === null && pulse !== null) showToast('Beat excluded.', () => void undo());
}

/** Returns the line's corrections before. Reads the current record: another beat may have been corrected since rendering. */
async function changeLine(
  takeId: string,
  index: number,
  change: (line: TakeLine) => TakeLine,
): Promise<TakeLine['corrections']> {
  const found: { before: TakeLine['corrections'] } = { before: undefined };
  await database.takes
    .where('id')
    .equals(takeId)
    .modify((now) => {
      found.before = now.lines[index]?.corrections;
      now.lines = now.lines.map((line, i) => (i === index ? change(line) : line));
    });
  return found.before;
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
