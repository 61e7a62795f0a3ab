import type { NoteRoute } from '@metronomo/core';
import { controlDesk, useControls } from '../../studio/controls';
import { Button } from '../../parts/button';
import { NumberInput } from '../../parts/number-input';

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
      <NumberInput
        name={`Route ${number}: lowest note`}
        value={low}
        least={0}
        most={127}
        onSave={(to) => set(to, Math.max(to, high))}
      />
      <span>to</span>
      <NumberInput
        name={`Route ${number}: highest note`}
        value={high}
        least={0}
        most={127}
        onSave={(to) => set(Math.min(low, to), to)}
      />
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
