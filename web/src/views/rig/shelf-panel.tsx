import { SHELF, type GearKind } from '@metronomo/core';
import { Button } from '../../parts/button';

/** Generic gear types to add. */
export function ShelfPanel({ onTake }: { onTake: (kind: GearKind, name: string) => void }) {
  return (
    <section aria-label="Gear types">
      <h2 className="mb-1 text-lg font-bold">Add gear</h2>
      <p className="mb-3 text-sm text-soft">Pick the closest type. You can change everything later.</p>
      <ul className="grid grid-cols-2 gap-2">
        {SHELF.map(({ kind, name }) => (
          <li key={kind}>
            <Button className="w-full" onClick={() => onTake(kind, name)}>
              {name}
            </Button>
          </li>
        ))}
      </ul>
    </section>
  );
}
