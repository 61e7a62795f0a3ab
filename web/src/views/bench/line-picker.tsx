import clsx from 'clsx';
import type { TakeLine } from '../../store/records';

/** Chooses the follower to show. */
export function LinePicker({
  lines,
  index,
  onChoose,
}: {
  lines: TakeLine[];
  index: number;
  onChoose: (index: number) => void;
}) {
  return (
    <div className="flex flex-wrap" role="group" aria-label="Follower shown">
      {lines.map(({ name }, i) => (
        <button
          key={i}
          type="button"
          aria-pressed={i === index}
          onClick={() => onChoose(i)}
          className={clsx(
            '-ml-px border border-ink px-3 py-1.5 text-sm first:ml-0',
            i === index ? 'bg-ink text-sheet' : 'bg-raised hover:bg-sheet',
          )}
        >
          {name}
        </button>
      ))}
    </div>
  );
}
