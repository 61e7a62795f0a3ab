import type { Cure, Finding, Severity } from '@metronomo/core';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import { clearReconnected } from '../../ports/port-registry';
import { changeRig } from '../../studio/rig';
import { command } from '../../studio/workers';
import { Button } from '../../parts/button';
import type { Rig } from '../../store/records';
import { applyCure } from '../../store/rig-plan';
import { LineTests, useLineTests } from './line-tests';
import { cureWords, wordsFor } from './finding-words';
import { useLineCheck } from './use-line-check';

const MARKS: Record<Severity, { word: string; ink: string; shape: React.ReactNode }> = {
  wrong: {
    word: 'To fix',
    ink: 'text-wrong',
    shape: <path d="M2 2l8 8M10 2l-8 8" stroke="currentColor" strokeWidth="2" />,
  },
  attention: {
    word: 'To review',
    ink: 'text-attention',
    shape: (
      <>
        <circle cx="6" cy="6" r="4.5" fill="none" stroke="currentColor" />
        <path d="M6 1.5a4.5 4.5 0 0 0 0 9z" fill="currentColor" />
      </>
    ),
  },
  unproved: {
    word: 'Unverified',
    ink: 'text-soft',
    shape: <circle cx="6" cy="6" r="4.5" fill="none" stroke="currentColor" strokeWidth="1.5" />,
  },
};

/** Problems of the rig, worst first, each with its cure; then the line tests. */
export function LineCheckPanel({ rig }: { rig: Rig }) {
  const { open, accepted } = useLineCheck();
  const lineTest = useLineTests(rig);
  const wrong = open.filter(({ severity }) => severity === 'wrong').length;
  return (
    <section aria-label="Line check">
      <div className="mb-3 flex items-start justify-between gap-2">
        <h2 className="text-lg font-bold">
          Line check{' '}
          <span className="block text-sm font-normal text-soft">{`${wrong} to fix, ${open.length - wrong} to review`}</span>
        </h2>
        {lineTest.tests.length > 0 && (
          <Button disabled={lineTest.step !== null} onClick={() => void lineTest.runAll()}>
            Test all lines
          </Button>
        )}
      </div>
      {open.length === 0 && (
        <p className="text-sm text-soft">
          {rig.gear.length === 0
            ? 'No gear yet. Add each device or app that should stay in sync; problems will be listed here.'
            : 'No problems found. All followers are measured.'}
        </p>
      )}
      <ul>
        {open.map((finding) => (
          <Row key={finding.key} finding={finding} rig={rig} />
        ))}
      </ul>
      {accepted.length > 0 && (
        <details className="mt-4 text-sm">
          <summary className="cursor-pointer text-soft">{`${accepted.length} accepted`}</summary>
          <ul>
            {accepted.map(({ key, seen, gearId }) => (
              <li key={key} className="ruled-b py-2">
                <p>{wordsFor(seen, gearId, namesIn(rig)).title}</p>
                <p className="text-xs text-soft">{rig.accepted[key]}</p>
                <Button tone="quiet" onClick={() => void changeRig((before) => without(before, key))}>
                  Reopen
                </Button>
              </li>
            ))}
          </ul>
        </details>
      )}
      <LineTests rig={rig} lineTest={lineTest} />
    </section>
  );
}

function Row({ finding, rig }: { finding: Finding; rig: Rig }) {
  const { seen, gearId, cure, severity, key } = finding;
  const [accepting, setAccepting] = useState(false);
  const { title, text } = wordsFor(seen, gearId, namesIn(rig));
  const mark = MARKS[severity];
  return (
    <li className="ruled-t py-3">
      <p className="flex items-start gap-2 font-bold">
        <svg
          width="12"
          height="12"
          viewBox="0 0 12 12"
          className={`mt-1 shrink-0 ${mark.ink}`}
          role="img"
          aria-label={mark.word}
        >
          {mark.shape}
        </svg>
        {title}
      </p>
      <p className="mt-1 ml-5 text-sm text-soft">{text}</p>
      <div className="mt-2 ml-5 flex flex-wrap gap-2">
        {cure && <CureButton cure={cure} rig={rig} />}
        {!accepting && (
          <Button tone="quiet" onClick={() => setAccepting(true)}>
            Accept…
          </Button>
        )}
      </div>
      {accepting && <AcceptForm findingKey={key} onDone={() => setAccepting(false)} />}
    </li>
  );
}

function CureButton({ cure, rig }: { cure: Cure; rig: Rig }) {
  const navigate = useNavigate();
  const words = cureWords(cure, namesIn(rig));
  if (words === null) return null;
  const act = () => {
    if (cure.kind === 'measure') void navigate('/bench');
    else if (cure.kind === 'rejoin') restartFollower(rig, cure.gearId);
    else void changeRig((before) => applyCure(before, cure) ?? before);
  };
  return <Button onClick={act}>{words}</Button>;
}

function restartFollower(rig: Rig, gearId: string): void {
  const feedId = rig.gear.find(({ id }) => id === gearId)?.portId;
  if (!feedId) return;
  command({ kind: 'rejoin', feedId });
  clearReconnected(feedId);
}

function AcceptForm({ findingKey, onDone }: { findingKey: string; onDone: () => void }) {
  const [reason, setReason] = useState('');
  const accept = () => {
    void changeRig((rig) => ({ ...rig, accepted: { ...rig.accepted, [findingKey]: reason.trim() } }));
    onDone();
  };
  return (
    <form
      className="mt-2 ml-5 flex gap-2"
      onSubmit={(event) => {
        event.preventDefault();
        if (reason.trim()) accept();
      }}
    >
      <input
        aria-label="Reason for accepting"
        placeholder="Reason"
        maxLength={300}
        value={reason}
        onChange={(event) => setReason(event.target.value)}
        className="min-w-0 flex-1 border border-rule px-2 py-1 text-sm"
      />
      <Button disabled={!reason.trim()} onClick={accept}>
        Accept
      </Button>
    </form>
  );
}

function namesIn(rig: Rig): (gearId: string) => string {
  return (gearId) => rig.gear.find(({ id }) => id === gearId)?.name ?? 'the hub';
}

function without(rig: Rig, key: string): Rig {
  return { ...rig, accepted: Object.fromEntries(Object.entries(rig.accepted).filter(([one]) => one !== key)) };
}
