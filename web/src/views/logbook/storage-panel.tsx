import { format } from 'date-fns';
import { useLiveQuery } from 'dexie-react-hooks';
import { useEffect, useState } from 'react';
import { tell } from '../../app/toast-store';
import { files, saveAll } from '../../files/files-flow';
import { askToKeep, lookAtStorage, useStorage } from '../../history/watch-storage';
import { switchRig, useSession } from '../../hub/session';
import { Button } from '../../parts/button';
import { Notice } from '../../parts/notice';
import { saveFile } from '../../parts/save-file';
import { bytesInWords } from '../../parts/words';
import { database, DEMO_DATA, ownDataName } from '../../store/database';
import { damagedText, dataBefore, forgetBefore, replaceOwnData } from '../../store/own-data';
import type { Rig } from '../../store/records';
import { resetDemo } from '../../store/rigs';

/** Where everything is kept, how much room there is, what was set aside, and the demo, which is kept by itself. */
export function StoragePanel({ rig }: { rig: Rig }) {
  useEffect(() => void lookAtStorage(), []);
  return (
    <div className="grid max-w-5xl grid-cols-1 gap-x-12 gap-y-8 px-5 py-4 text-sm md:grid-cols-2">
      <Room />
      <BeforePart />
      <Damaged />
      <Demo rig={rig} />
    </div>
  );
}

function Room() {
  const { usedBytes, mostBytes, kept, tight } = useStorage();
  const own = useSizes(ownDataName());
  const demo = useSizes(DEMO_DATA);
  return (
    <section className="flex flex-col items-start gap-2" aria-label="Room">
      <h2 className="text-lg font-bold">Room</h2>
      {tight && (
        <Notice>
          The browser’s storage is nearly full. Save all data as a ZIP, then delete takes that you do not need.
        </Notice>
      )}
      <dl className="grid grid-cols-[160px_1fr] gap-y-1">
        <dt className="text-soft">In use</dt>
        <dd>
          {usedBytes === null || mostBytes === null
            ? 'The browser does not say.'
            : `${bytesInWords(usedBytes)} of ${bytesInWords(mostBytes)}`}
        </dd>
        <dt className="text-soft">One’s own</dt>
        <dd>{own}</dd>
        <dt className="text-soft">The demo</dt>
        <dd>{demo}</dd>
      </dl>
      {usedBytes !== null && mostBytes !== null && (
        <meter
          className="w-full"
          min={0}
          max={mostBytes}
          high={mostBytes * 0.9}
          value={usedBytes}
          aria-label="Room in use"
        />
      )}
      {kept === true ? (
        <p>The browser has promised to keep it.</p>
      ) : (
        <>
          <p className="text-soft">
            The browser may clear it away when the disk is full, for it has not promised otherwise.
          </p>
          <Button onClick={() => void askToKeep()}>Ask it to keep everything</Button>
        </>
      )}
      <Button onClick={() => void saveAll('own')}>Everything of mine as one ZIP</Button>
    </section>
  );
}

function useSizes(name: string): string {
  const [words, setWords] = useState('…');
  useEffect(() => {
    let current = true;
    void files.sizes(name).then(({ takes, soundBytes }) => {
      if (current) setWords(`${takes} ${takes === 1 ? 'take' : 'takes'}, about ${bytesInWords(soundBytes)} of sound`);
    });
    return () => {
      current = false;
    };
  }, [name]);
  return words;
}

function BeforePart() {
  const [all, setAll] = useState(dataBefore);
  const stopped = useSession(({ snapshot }) => snapshot.state === 'stopped');
  return (
    <section className="flex flex-col items-start gap-2" aria-label="Before everything was replaced">
      <h2 className="text-lg font-bold">Before everything was replaced</h2>
      {all.length === 0 && (
        <p className="text-soft">
          Nothing was replaced. When a ZIP takes the place of everything, what was here is kept, and can be gone back
          to.
        </p>
      )}
      {all.map(({ name, at }) => (
        <div key={name} className="flex flex-col gap-2">
          <p>All that was here until {format(at, 'd MMMM yyyy, HH:mm')} is still kept.</p>
          <div className="flex gap-2">
            <Button
              disabled={!stopped}
              onClick={() => {
                replaceOwnData(name);
                window.location.reload();
              }}
            >
              Go back to it
            </Button>
            <Button tone="quiet" onClick={() => void forgetBefore(name).then(() => setAll(dataBefore()))}>
              Delete it for good
            </Button>
          </div>
        </div>
      ))}
    </section>
  );
}

function Damaged() {
  const rigId = useSession(({ rig }) => rig?.id);
  const damaged = useLiveQuery(() => database.setAside.toArray(), [rigId]) ?? [];
  const save = () => saveFile('metronomo-set-aside.json', [damagedText(damaged)], 'application/json');
  return (
    <section className="flex flex-col items-start gap-2" aria-label="Set aside">
      <h2 className="text-lg font-bold">Set aside</h2>
      {damaged.length === 0 ? (
        <p className="text-soft">Nothing is damaged. A record that cannot be read is put here and stops nothing.</p>
      ) : (
        <>
          <ul className="w-full">
            {damaged.slice(0, 20).map(({ number, table, at, problem }) => (
              <li key={number} className="ruled-b py-1">
                <b>{table}</b> <span className="text-soft">{format(at, 'd MMM, HH:mm')}</span> {problem.slice(0, 160)}
              </li>
            ))}
          </ul>
          <div className="flex gap-2">
            <Button onClick={save}>Save them as a file</Button>
            <Button
              tone="quiet"
              onClick={() =>
                void database.setAside
                  .clear()
                  .then(() => tell(`${damaged.length} were deleted.`, () => void database.setAside.bulkPut(damaged)))
              }
            >
              Delete them
            </Button>
          </div>
        </>
      )}
    </section>
  );
}

function Demo({ rig }: { rig: Rig }) {
  const reset = async () => {
    await resetDemo();
    if (rig.demo) await switchRig(rig.id);
    tell('The demo is as on a first visit.');
  };
  return (
    <section className="flex flex-col items-start gap-2" aria-label="The demo">
      <h2 className="text-lg font-bold">The demo</h2>
      <p className="text-soft">
        It is kept by itself: nothing of it comes among your own data, and nothing of yours into it. Resetting it
        deletes what was taken in it.
      </p>
      <Button onClick={() => void reset()}>Reset the demo</Button>
    </section>
  );
}
