import { useState } from 'react';
import { discardPreview, mergePreview, replaceWithPreview } from '../../files/files-flow';
import type { Preference } from '../../files/merge';
import type { Preview } from '../../files/protocol';
import { useSession } from '../../studio/session';
import { Button } from '../../parts/button';
import { bytesText } from '../../parts/words';
import { dateOf } from '../../parts/dates';
import { count, whole } from '../../words/numbers';

const MAX_NAMED = 8;

const PREFERENCES = [
  ['mine', 'Keep current version'],
  ['theirs', 'Use version from file'],
] as const satisfies readonly (readonly [Preference, string])[];

/** The contents of an imported ZIP and how they compare with what is here; then merge, replace or discard. */
export function ImportPreview({ aside, fileName }: { aside: Preview; fileName: string }) {
  const { contents, differences, demo } = aside;
  const [prefer, setPrefer] = useState<Preference>('mine');
  const stopped = useSession(({ snapshot }) => snapshot.state === 'stopped');
  const { differing } = differences;
  const counts = (
    [
      [contents.takes, 'take'],
      [contents.clockTakes, 'clock take'],
      [contents.offsetSets, 'offset set'],
      [contents.streams, 'capture'],
      [contents.events, 'logbook entry', 'logbook entries'],
      [contents.calibrations, 'audio round trip'],
    ] as const
  )
    .filter(([n]) => n > 0)
    .map(([n, one, many]) => count(n, one, many));
  if (contents.soundBytes > 0) counts.push(`${bytesText(contents.soundBytes)} of audio`);
  const conflicts = differing
    .slice(0, MAX_NAMED)
    .map(({ name }) => name)
    .join(', ');
  return (
    <section
      aria-label={`Import preview: ${fileName}`}
      className="flex flex-col gap-3 border border-ink bg-raised p-4 text-sm"
    >
      <h2 className="text-lg font-bold">Import preview: {fileName}</h2>
      {contents.notes.map((note) => (
        <p key={note} className="text-attention">
          {note}
        </p>
      ))}
      <dl
        aria-label={demo ? 'Compared to demo' : 'Compared to yours'}
        className="grid grid-cols-[140px_1fr] gap-x-4 gap-y-1"
      >
        <dt className="col-span-2 text-xs text-soft">{demo ? 'Compared to demo' : 'Compared to yours'}</dt>
        <dt className="text-soft">New</dt>
        <dd>{whole(differences.added)}</dd>
        <dt className="text-soft">Identical</dt>
        <dd>{whole(differences.same)}</dd>
        <dt className="text-soft">In conflict</dt>
        <dd className="flex flex-col gap-1">
          {whole(differing.length)}
          {differing.length > 0 && (
            <>
              <span>
                {conflicts}
                {differing.length > MAX_NAMED && '…'}
              </span>
              <fieldset className="flex gap-4">
                <legend className="sr-only">Conflicts</legend>
                {PREFERENCES.map(([value, label]) => (
                  <label key={value} className="inline-flex items-center gap-1.5">
                    <input
                      type="radio"
                      name="prefer"
                      className="accent-[var(--ink)]"
                      checked={prefer === value}
                      onChange={() => setPrefer(value)}
                    />
                    {label}
                  </label>
                ))}
              </fieldset>
            </>
          )}
        </dd>
      </dl>
      {demo && <p>This is demo data. It is imported into the demo; your own data isn’t touched.</p>}
      <div className="flex flex-wrap items-center gap-2">
        <Button tone="strong" disabled={!stopped} onClick={() => void mergePreview(aside, fileName, prefer)}>
          Merge
        </Button>
        {!demo && (
          <Button disabled={!stopped} onClick={() => void replaceWithPreview(aside)}>
            Replace all my data
          </Button>
        )}
        <Button tone="quiet" onClick={() => void discardPreview(aside)}>
          Discard
        </Button>
        <span className="text-soft">
          {stopped
            ? `You can undo a merge.${demo ? '' : ' If you replace, your current data stays in Storage and can be restored.'}`
            : 'Stop playback first: importing may switch the current rig.'}
        </span>
      </div>
      <dl className="ruled-t grid grid-cols-[140px_1fr] gap-x-4 gap-y-1 pt-2">
        <dt className="text-soft">Rigs</dt>
        <dd>{contents.rigs.map(({ name }) => name).join(', ') || 'none'}</dd>
        <dt className="text-soft">Other data</dt>
        <dd>{counts.join(', ') || 'none'}</dd>
        {contents.firstAt !== null && contents.lastAt !== null && (
          <>
            <dt className="text-soft">Recorded</dt>
            <dd>
              {dateOf(contents.firstAt)} to {dateOf(contents.lastAt)}
            </dd>
          </>
        )}
      </dl>
    </section>
  );
}
