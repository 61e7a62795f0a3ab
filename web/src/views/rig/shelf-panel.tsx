import { SHELF, type GearKind } from '@metronomo/core';
import { Button } from '../../parts/button';

/** Generic kinds of gear to take down. */
export function ShelfPanel({ onTake }: { onTake: (kind: GearKind, name: string) => void }) {
  return (
    <section aria-label="Shelf">
      <h2 className="mb-1 text-lg font-bold">Add gear</h2>
      <p className="mb-3 text-sm text-soft">
        Take down what comes nearest; what it can do and how it is set can be changed.
      </p>
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
