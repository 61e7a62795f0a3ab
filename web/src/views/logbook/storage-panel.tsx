import { useLiveQuery } from 'dexie-react-hooks';
import { useEffect, useState } from 'react';
import { showToast } from '../../toasts/toast-store';
import { files, saveAll } from '../../files/files-flow';
import { askToKeep, lookAtStorage, useStorage } from '../../history/watch-storage';
import { switchRig } from '../../studio/rig';
import { install, useInstalled } from '../../studio/installed';
import { useSession } from '../../studio/session';
import { Button } from '../../parts/button';
import { ConfirmButton } from '../../parts/confirm-button';
import { count } from '../../words/numbers';
import { Notice } from '../../parts/notice';
import { saveFile } from '../../parts/save-file';
import { bytesText } from '../../parts/words';
import { database, DEMO_DATA, ownDataName } from '../../store/database';
import { damagedText, replacedDatabases, deleteReplaced, replaceOwnData } from '../../store/own-data';
import type { Rig } from '../../store/records';
import { resetDemo } from '../../store/rigs';
import { longDateAndTime, dayAndTime } from '../../parts/dates';

const MAX_SHOWN = 20;
/** Tables of the database, as the musician knows them. */
const TABLE_LABELS: Readonly<Record<string, string>> = {
  rigs: 'Rig',
  takes: 'Take',
  clockTakes: 'Clock take',
  offsetSets: 'Offset set',
  calibrations: 'Audio round trip',
  events: 'Logbook entry',
  streams: 'Capture',
};

/** Storage space, damaged records, replaced data, and the demo. */
export function StoragePanel({ rig }: { rig: Rig }) {
  useEffect(() => void lookAtStorage(), []);
  return (
    <div className="grid max-w-5xl grid-cols-1 gap-x-12 gap-y-8 px-5 py-4 text-sm md:grid-cols-2">
      <StorageSpace />
      <DamagedRecords />
      <ReplacedData />
      <Demo rig={rig} />
    </div>
  );
}

function StorageSpace() {
  const { usedBytes, mostBytes, kept, tight } = useStorage();
  const offer = useInstalled((state) => state.offer);
  const own = useSizes(ownDataName());
  const demo = useSizes(DEMO_DATA);
  return (
    <section className="flex flex-col items-start gap-2" aria-label="Storage space">
      <h2 className="text-lg font-bold">Storage space</h2>
      {tight && (
        <Notice>
          Browser storage is nearly full. Export your data as a ZIP, then delete takes you don’t need in History.
        </Notice>
      )}
      <dl className="grid grid-cols-[160px_1fr] gap-y-1">
        <dt className="text-soft">Used</dt>
        <dd>
          {usedBytes === null || mostBytes === null
            ? 'Not reported by this browser'
            : `${bytesText(usedBytes)} of ${bytesText(mostBytes)}`}
        </dd>
        <dt className="text-soft">Your data</dt>
        <dd>{own}</dd>
        <dt className="text-soft">Demo</dt>
        <dd>{demo}</dd>
      </dl>
      {usedBytes !== null && mostBytes !== null && (
        <meter
          className="w-full"
          min={0}
          max={mostBytes}
          high={mostBytes * 0.9}
          value={usedBytes}
          aria-label="Storage used"
        />
      )}
      {kept === true ? (
        <p>Protected: the browser won’t delete this data on its own.</p>
      ) : (
        <>
          <p className="text-soft">The browser may delete this data when disk space runs low.</p>
          <Button onClick={() => void askToKeep()}>Protect this data</Button>
          {offer && (
            <>
              <p className="text-soft">Browsers protect the data of installed apps more readily.</p>
              <Button onClick={() => void install().then(askToKeep)}>Install Metronomo</Button>
            </>
          )}
        </>
      )}
      <Button onClick={() => void saveAll('own')}>Export all my data (ZIP)</Button>
    </section>
  );
}

function useSizes(name: string): string {
  const [words, setWords] = useState('…');
  useEffect(() => {
    let current = true;
    void files.sizes(name).then(({ takes, soundBytes }) => {
      if (current) setWords(`${count(takes, 'take')}, about ${bytesText(soundBytes)} of audio`);
    });
    return () => {
      current = false;
    };
  }, [name]);
  return words;
}

function ReplacedData() {
  const [all, setAll] = useState(replacedDatabases);
  const stopped = useSession(({ snapshot }) => snapshot.state === 'stopped');
  if (all.length === 0) return null;
  return (
    <section className="flex flex-col items-start gap-2" aria-label="Replaced data">
      <h2 className="text-lg font-bold">Replaced data</h2>
      {all.map(({ name, at }) => (
        <div key={name} className="flex flex-col gap-2">
          <p>Data replaced on {longDateAndTime(at)}</p>
          <div className="flex gap-2">
            <Button
              disabled={!stopped}
              onClick={() => {
                replaceOwnData(name);
                window.location.reload();
              }}
            >
              Restore
            </Button>
            <ConfirmButton
              question="This can’t be undone."
              confirm="Delete"
              onConfirm={() => void deleteReplaced(name).then(() => setAll(replacedDatabases()))}
            >
              Delete permanently
            </ConfirmButton>
          </div>
        </div>
      ))}
    </section>
  );
}

function DamagedRecords() {
  const rigId = useSession(({ rig }) => rig?.id);
  const damaged = useLiveQuery(() => database.setAside.toArray(), [rigId]) ?? [];
  const save = () => saveFile('metronomo-set-aside.json', [damagedText(damaged)], 'application/json');
  if (damaged.length === 0) return null;
  const shown = damaged.slice(0, MAX_SHOWN);
  return (
    <section className="flex flex-col items-start gap-2" aria-label="Damaged records">
      <h2 className="text-lg font-bold">Damaged records</h2>
      <p className="text-soft">Records that can’t be read are moved here so that everything else keeps working.</p>
      <ul className="w-full">
        {shown.map(({ number, table, at, problem }) => (
          <li key={number} className="ruled-b py-1">
            <b>{TABLE_LABELS[table] ?? table}</b> <span className="text-soft">{dayAndTime(at)}</span>{' '}
            {problem.slice(0, 160)}
          </li>
        ))}
      </ul>
      {damaged.length > MAX_SHOWN && (
        <p className="text-soft">
          {MAX_SHOWN} of {count(damaged.length, 'record')}
        </p>
      )}
      <div className="flex gap-2">
        <Button onClick={save}>Export (JSON)</Button>
        <Button
          tone="quiet"
          onClick={() =>
            void database.setAside
              .clear()
              .then(() =>
                showToast(
                  `${count(damaged.length, 'damaged record')} deleted.`,
                  () => void database.setAside.bulkPut(damaged),
                ),
              )
          }
        >
          Delete all
        </Button>
      </div>
    </section>
  );
}

function Demo({ rig }: { rig: Rig }) {
  const reset = async () => {
    await resetDemo();
    if (rig.demo) await switchRig(rig.id);
    showToast('Demo reset.');
  };
  return (
    <section className="flex flex-col items-start gap-2" aria-label="Demo">
      <h2 className="text-lg font-bold">Demo</h2>
      <p className="text-soft">
        The demo has its own storage and never mixes with your data. Resetting it deletes every take recorded in it.
      </p>
      <ConfirmButton question="Delete all demo takes?" confirm="Reset" onConfirm={() => void reset()}>
        Reset demo
      </ConfirmButton>
    </section>
  );
}
