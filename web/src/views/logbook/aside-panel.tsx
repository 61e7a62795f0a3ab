import { format } from 'date-fns';
import { useState } from 'react';
import { leaveAside, mergeAside, replaceWithAside } from '../../files/files-flow';
import type { Preference } from '../../files/merge';
import type { Aside } from '../../files/protocol';
import { useSession } from '../../hub/session';
import { Button } from '../../parts/button';
import { bytesInWords } from '../../parts/words';

const MOST_NAMED = 8;

/** What came from a file and lies aside: what is in it, what it would do here, and then whether. */
export function AsidePanel({ aside, fileName }: { aside: Aside; fileName: string }) {
  const { contents, differences, demo } = aside;
  const [prefer, setPrefer] = useState<Preference>('mine');
  const stopped = useSession(({ snapshot }) => snapshot.state === 'stopped');
  const { differing } = differences;
  const counts: [number, string][] = [
    [contents.takes, 'takes'],
    [contents.clockTakes, 'clocks'],
    [contents.offsetSets, 'sets of offsets'],
    [contents.streams, 'captures'],
    [contents.events, 'entries of the logbook'],
    [contents.calibrations, 'audio paths'],
  ];
  return (
    <section
      aria-label={`What is in ${fileName}`}
      className="flex flex-col gap-3 border border-ink bg-raised p-4 text-sm"
    >
      <h2 className="text-lg font-bold">{fileName} lies aside</h2>
      <dl className="grid grid-cols-[110px_1fr] gap-x-4 gap-y-1">
        <dt className="text-soft">Rigs</dt>
        <dd>{contents.rigs.map(({ name }) => name).join(', ') || 'none'}</dd>
        <dt className="text-soft">Besides</dt>
        <dd>
          {counts
            .filter(([count]) => count > 0)
            .map(([count, what]) => `${count} ${what}`)
            .join(', ') || 'nothing'}
          {contents.soundBytes > 0 && `, ${bytesInWords(contents.soundBytes)} of sound`}
        </dd>
        {contents.firstAt !== null && contents.lastAt !== null && (
          <>
            <dt className="text-soft">Taken</dt>
            <dd>
              {format(contents.firstAt, 'd MMM yyyy')} to {format(contents.lastAt, 'd MMM yyyy')}
            </dd>
          </>
        )}
        <dt className="text-soft">Against here</dt>
        <dd>
          {differences.added} are not here yet, {differences.same} are here as they are, {differing.length} are here and
          differ
          {differing.length > 0 &&
            `: ${differing
              .slice(0, MOST_NAMED)
              .map(({ name }) => name)
              .join(', ')}${differing.length > MOST_NAMED ? ' …' : ''}`}
          .
        </dd>
      </dl>
      {contents.notes.map((note) => (
        <p key={note} className="text-attention">
          {note}
        </p>
      ))}
      {demo && <p>These are data of the demo: they go into the demo, and touch nothing of your own.</p>}
      {differing.length > 0 && (
        <fieldset className="flex gap-4">
          <legend className="mb-1 text-soft">Of what differs</legend>
          {(
            [
              ['mine', 'keep what is here'],
              ['theirs', 'take what is in the file'],
            ] as const
          ).map(([value, words]) => (
            <label key={value} className="inline-flex items-center gap-1.5">
              <input
                type="radio"
                name="prefer"
                className="accent-[var(--ink)]"
                checked={prefer === value}
                onChange={() => setPrefer(value)}
              />
              {words}
            </label>
          ))}
        </fieldset>
      )}
      <div className="flex flex-wrap items-center gap-2">
        <Button tone="strong" disabled={!stopped} onClick={() => void mergeAside(aside, fileName, prefer)}>
          Merge it in
        </Button>
        {!demo && (
          <Button disabled={!stopped} onClick={() => void replaceWithAside(aside)}>
            Replace everything of mine
          </Button>
        )}
        <Button tone="quiet" onClick={() => void leaveAside(aside)}>
          Leave it
        </Button>
        <span className="text-soft">
          {stopped
            ? `Merging can be undone.${demo ? '' : ' After replacing, what was here stays in Storage, to go back to.'}`
            : 'Stop first: the rig in use may become another.'}
        </span>
      </div>
    </section>
  );
}
