import { ToggleGroup } from 'radix-ui';
import type { TakeLine } from '../../store/records';

/** Chooses the follower to show: one tab stop, with arrow keys between the followers. */
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
    <ToggleGroup.Root
      type="single"
      className="flex flex-wrap"
      aria-label="Follower shown"
      value={String(index)}
      // Pressed again, the one that is shown stays.
      onValueChange={(value) => value !== '' && onChoose(Number(value))}
    >
      {lines.map(({ name }, i) => (
        <ToggleGroup.Item
          key={i}
          value={String(i)}
          className="-ml-px border border-ink bg-raised px-3 py-1.5 text-sm first:ml-0 hover:bg-sheet data-[state=on]:bg-ink data-[state=on]:text-sheet"
        >
          {name}
        </ToggleGroup.Item>
      ))}
    </ToggleGroup.Root>
  );
}
