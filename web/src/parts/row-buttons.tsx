import { ChevronDown, ChevronUp, X } from 'lucide-react';
import { Button } from './button';

/** Moves a row of a list up or down, or removes it. */
export function RowButtons({
  name,
  first,
  last,
  kept = false,
  onMove,
  onRemove,
}: {
  name: string;
  first: boolean;
  last: boolean;
  /** It can't be removed. */
  kept?: boolean;
  onMove: (by: number) => void;
  onRemove: () => void;
}) {
  return (
    <>
      <Button tone="quiet" className="!px-1" aria-label={`Move ${name} up`} disabled={first} onClick={() => onMove(-1)}>
        <ChevronUp size={14} aria-hidden />
      </Button>
      <Button tone="quiet" className="!px-1" aria-label={`Move ${name} down`} disabled={last} onClick={() => onMove(1)}>
        <ChevronDown size={14} aria-hidden />
      </Button>
      <Button tone="quiet" className="!px-1" aria-label={`Remove ${name}`} disabled={kept} onClick={onRemove}>
        <X size={14} aria-hidden />
      </Button>
    </>
  );
}
