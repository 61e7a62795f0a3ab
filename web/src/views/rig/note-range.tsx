import type { NoteRoute } from '@metronomo/core';
import { controlDesk, useControls } from '../../studio/controls';
import { Button } from '../../parts/button';

const ALL = [0, 127] as const;

/** The notes that a route carries, typed or learned from the lowest and the highest key. */
export function NoteRange({
  number,
  route,
  onChange,
}: {
  number: number;
  route: NoteRoute;
  onChange: (next: Partial<NoteRoute>) => void;
}) {
  const [low, high] = route.range ?? ALL;
  const [lowId, highId] = [`${route.id} low`, `${route.id} high`];
  const learning = useControls(({ learningId }) => learningId);
  const set = (from: number, to: number) => onChange({ range: from === 0 && to === 127 ? null : [from, to] });
  const learn = () =>
    controlDesk.learnNext(lowId, (_, first) => {
      if (first.kind !== 'note') return;
      controlDesk.learnNext(highId, (_port, second) => {
        if (second.kind === 'note') set(Math.min(first.note, second.note), Math.max(first.note, second.note));
      });
    });
  const words = learning === lowId ? 'Press the lowest key…' : learning === highId ? 'Press the highest key…' : null;
  return (
    <div className="mt-2 flex flex-wrap items-center gap-2 text-sm">
      <span>Notes</span>
      <NoteInput name={`Route ${number}: lowest note`} value={low} onSave={(to) => set(to, Math.max(to, high))} />
      <span>to</span>
      <NoteInput name={`Route ${number}: highest note`} value={high} onSave={(to) => set(Math.min(low, to), to)} />
      <Button
        tone="quiet"
        aria-label={`Learn notes of route ${number}`}
        onClick={() => (words ? controlDesk.stopLearning() : learn())}
      >
        {words ? 'Cancel' : 'Learn'}
      </Button>
      {words && <span role="status">{words}</span>}
    </div>
  );
}

function NoteInput({ name, value, onSave }: { name: string; value: number; onSave: (to: number) => void }) {
  return (
    <input
      type="number"
      aria-label={name}
      key={value}
      defaultValue={value}
      min={0}
      max={127}
      className="w-16 border border-rule px-1.5 py-1"
      onBlur={({ target }) => {
        const next = target.valueAsNumber;
        if (Number.isInteger(next) && next >= 0 && next <= 127 && next !== value) onSave(next);
        else target.value = String(value);
      }}
    />
  );
}
