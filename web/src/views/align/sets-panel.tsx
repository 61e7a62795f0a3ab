import { useLiveQuery } from 'dexie-react-hooks';
import { Trash2 } from 'lucide-react';
import { useState } from 'react';
import { reportDeleted } from '../../studio/undoable';
import { showToast } from '../../toasts/toast-store';
import { audioBufferMs } from '../../audio/engine';
import { changeRig, undoWhileLatest } from '../../studio/rig';
import { Button } from '../../parts/button';
import { Field } from '../../parts/field';
import { offsetIn } from '../../parts/units';
import { changedSinceSet, deleteSet, isInForce, listSets, renameSet, saveSet, withSet } from '../../store/offset-sets';
import type { OffsetSet, Rig } from '../../store/records';
import { useLatestTake } from '../../studio/use-takes';
import { useAlignLook, useUnitAt } from './look';
import { count, decimal, whole } from '../../words/numbers';
import { dayAndTime } from '../../parts/dates';

const NONE: OffsetSet[] = [];

/** Named sets of offsets: save, compare, recall. */
export function SetsPanel({ rig }: { rig: Rig }) {
  const sets = useLiveQuery(() => listSets(rig.id), [rig.id]) ?? NONE;
  const [chosenId, setChosenId] = useState<string | null>(null);
  const chosen = sets.find(({ id }) => id === chosenId) ?? sets[0];
  return (
    <div className="grid grid-cols-1 gap-6 px-5 py-4 md:grid-cols-[300px_1fr]">
      <div className="flex flex-col gap-4">
        <SaveForm key={sets.length} rig={rig} onSaved={setChosenId} />
        <ul className="flex flex-col">
          {sets.map((set) => (
            <li key={set.id} className="ruled-b flex items-center">
              <button
                type="button"
                aria-pressed={set === chosen}
                onClick={() => setChosenId(set.id)}
                className="flex-1 px-2 py-2 text-left aria-pressed:bg-raised hover:bg-raised"
              >
                <b className="block">{set.name}</b>
                <span className="text-xs text-soft">
                  {dayAndTime(set.savedAt)} · {stateOf(set, rig)}
                </span>
              </button>
              <Button
                tone="quiet"
                aria-label={`Delete ${set.name}`}
                onClick={() => void deleteSet(set).then((undo) => reportDeleted(`${set.name} deleted`, undo))}
              >
                <Trash2 size={14} aria-hidden />
              </Button>
            </li>
          ))}
        </ul>
      </div>
      {chosen ? (
        <SetDetail key={chosen.id} set={chosen} sets={sets} rig={rig} />
      ) : (
        <p className="max-w-prose text-soft">
          Save the current offsets as a named set, along with the conditions they were measured in: one set per buffer
          size, tempo or song, for example. A set that no longer fits shows what has changed.
        </p>
      )}
    </div>
  );
}

function stateOf(set: OffsetSet, rig: Rig): string {
  const changes = changedSinceSet(set, rig, audioBufferMs());
  if (changes.length > 0) return `out of date: ${count(changes.length, 'change')}`;
  return isInForce(set, rig) ? 'active' : 'up to date';
}

function SaveForm({ rig, onSaved }: { rig: Rig; onSaved: (id: string) => void }) {
  const newest = useLatestTake();
  const [name, setName] = useState('');
  return (
    <form
      className="flex items-end gap-2"
      onSubmit={(event) => {
        event.preventDefault();
        void saveSet(rig, name, newest ?? undefined).then(({ id }) => onSaved(id));
      }}
    >
      <div className="flex-1">
        <Field label="Save current offsets as">
          {(id) => (
            <input
              id={id}
              value={name}
              maxLength={60}
              placeholder={`${decimal(rig.bpm, 1)} BPM`}
              className="w-full border border-rule px-2 py-1.5 text-sm hover:border-ink"
              onChange={({ target }) => setName(target.value)}
            />
          )}
        </Field>
      </div>
      <Button type="submit">Save</Button>
    </form>
  );
}

function SetDetail({ set, sets, rig }: { set: OffsetSet; sets: OffsetSet[]; rig: Rig }) {
  const [otherId, setOtherId] = useState('');
  const unit = useAlignLook(({ unit }) => unit);
  const at = useUnitAt();
  const other = sets.find(({ id }) => id === otherId);
  const changes = changedSinceSet(set, rig, audioBufferMs());
  const recall = async () => {
    await changeRig((now) => withSet(now, set));
    showToast(`${set.name} recalled.`, undoWhileLatest());
  };
  const offsetOf = (from: OffsetSet | undefined, gearId: string) =>
    from?.offsets.find((one) => one.gearId === gearId)?.offsetMs;
  return (
    <section aria-label={set.name} className="flex min-w-0 flex-col gap-3">
      <div className="flex flex-wrap items-center gap-3">
        <input
          aria-label="Set name"
          defaultValue={set.name}
          maxLength={60}
          className="min-w-40 flex-1 border-b border-transparent bg-transparent text-lg font-bold hover:border-rule focus:border-ink"
          onBlur={({ target }) => void renameSet(set.id, target.value)}
          onKeyDown={({ key, currentTarget }) => {
            if (key === 'Enter') currentTarget.blur();
          }}
        />
        <label className="flex items-center gap-2 text-sm">
          <span className="text-soft">Compare with</span>
          <select
            className="border border-rule px-1.5 py-1"
            value={otherId}
            onChange={({ target }) => setOtherId(target.value)}
          >
            <option value="">Current offsets</option>
            {sets
              .filter(({ id }) => id !== set.id)
              .map(({ id, name }) => (
                <option key={id} value={id}>
                  {name}
                </option>
              ))}
          </select>
        </label>
        <Button tone="strong" disabled={isInForce(set, rig)} onClick={() => void recall()}>
          Recall
        </Button>
      </div>
      <p className="text-sm text-soft">
        {[
          `${decimal(set.bpm, 1)} BPM`,
          set.song,
          set.input,
          set.sampleRate && `${set.sampleRate / 1000} kHz`,
          set.bufferMs && `buffer ${whole(set.bufferMs)} ms`,
        ]
          .filter(Boolean)
          .join(' · ')}
      </p>
      {changes.length > 0 && (
        <p className="text-sm text-attention">
          <b>Out of date.</b> When saved: {changes.join(', ')}. Recall this set, then measure again.
        </p>
      )}
      <table className="w-full max-w-2xl text-sm">
        <thead>
          <tr className="ruled-b text-left text-xs text-soft">
            <th className="py-1 font-normal">Follower</th>
            <th className="font-normal">{set.name}</th>
            <th className="font-normal">{other?.name ?? 'Current'}</th>
            <th className="font-normal">Difference</th>
          </tr>
        </thead>
        <tbody>
          {set.offsets.map(({ gearId, name, offsetMs }) => {
            const compared = other ? offsetOf(other, gearId) : rig.gear.find(({ id }) => id === gearId)?.offsetMs;
            if (offsetMs === 0 && compared === 0) return null;
            return (
              <tr key={gearId} className="ruled-b">
                <td className="py-1">{name}</td>
                <td>{offsetIn(offsetMs, unit, at)}</td>
                <td>{compared === undefined ? 'not included' : offsetIn(compared, unit, at)}</td>
                <td>{compared === undefined ? '' : offsetIn(offsetMs - compared, unit, at)}</td>
              </tr>
            );
          })}
        </tbody>
      </table>
    </section>
  );
}
