import { lineTests, type LineTest, type LineTestKind } from '@metronomo/core';
import { formatDistanceToNowStrict } from 'date-fns';
import { useState } from 'react';
import { Button } from '../../parts/button';
import { Notice } from '../../parts/notice';
import type { LineTestResult, Rig } from '../../store/records';
import { planOf } from '../../store/rig-plan';
import { storeAnswer, LineTestError, testLine } from '../../flow-effects/test-line';

const ANSWERS: Readonly<Record<LineTestResult['answer'], string>> = {
  sound: 'Sound received',
  midi: 'MIDI reply received',
  seen: 'Confirmed by you',
  nothing: 'No response',
};

const KIND_LABELS: Readonly<Record<LineTestKind, string>> = {
  'clock burst': 'clock burst',
  note: 'note',
  'identity request': 'identity request',
  'full frame': 'timecode full frame',
  'machine control': 'machine control: play',
};

/** What to look for on the device. */
const WHAT_TO_SEE: Readonly<Record<LineTestKind, string>> = {
  'clock burst': 'Did it play or blink for two beats?',
  note: 'Did it play a note or show MIDI activity?',
  'identity request': 'Did it show MIDI activity?',
  'full frame': 'Does it show 01:00:00:00?',
  'machine control': 'Did it play for two seconds?',
};

interface Step {
  cableId: string;
  kind: LineTestKind;
  asks: boolean;
}

export interface LineTestRun {
  tests: readonly LineTest[];
  step: Step | null;
  problem: string | null;
  run: (test: LineTest, kind: LineTestKind) => Promise<boolean>;
  runAll: () => Promise<void>;
  answer: (cableId: string, kind: LineTestKind, seen: boolean) => void;
}

/** Runs the line tests of a rig, one line at a time. */
export function useLineTests(rig: Rig): LineTestRun {
  const tests = lineTests(planOf(rig));
  const [step, setStep] = useState<Step | null>(null);
  const [problem, setProblem] = useState<string | null>(null);
  const run = async (test: LineTest, kind: LineTestKind): Promise<boolean> => {
    setStep({ cableId: test.cableId, kind, asks: false });
    setProblem(null);
    try {
      const answer = await testLine(test, kind);
      setStep(answer === 'ask' ? { cableId: test.cableId, kind, asks: true } : null);
      return true;
    } catch (error) {
      setStep(null);
      if (!(error instanceof LineTestError)) throw error;
      setProblem(error.message);
      return false;
    }
  };
  // Lines without an audio return or a MIDI reply need somebody to look: those are tested one by one.
  const runAll = async () => {
    for (const test of tests) {
      const [kind] = test.kinds;
      if (kind && (test.hearsAt !== null || test.answersAt !== null) && !(await run(test, kind))) return;
    }
  };
  const answer = (cableId: string, kind: LineTestKind, seen: boolean) =>
    void storeAnswer(cableId, kind, seen ? 'seen' : 'nothing').then(() => setStep(null));
  return { tests, step, problem, run, runAll, answer };
}

/** The lines of the rig, each with a test message to send and what came back. */
export function LineTests({ rig, lineTest }: { rig: Rig; lineTest: LineTestRun }) {
  const { tests, step, problem, run, answer } = lineTest;
  if (tests.length === 0) return null;
  const answered = tests.filter(({ cableId }) => (rig.tested[cableId]?.answer ?? 'nothing') !== 'nothing').length;
  return (
    <section aria-label="Line test" className="ruled-t mt-2 pt-3">
      <h2 className="text-lg font-bold">
        Line test <span className="text-sm font-normal text-soft">{`${answered} of ${tests.length} passed`}</span>
      </h2>
      {problem && (
        <div className="mt-2">
          <Notice>{problem}</Notice>
        </div>
      )}
      <ul className="mt-1">
        {tests.map((test) => (
          <LineTestRow
            key={test.cableId}
            test={test}
            name={rig.gear.find(({ id }) => id === test.gearId)?.name ?? ''}
            result={rig.tested[test.cableId] ?? null}
            step={step?.cableId === test.cableId ? step : null}
            busy={step !== null}
            onTest={(kind) => void run(test, kind)}
            onSeen={(kind, seen) => answer(test.cableId, kind, seen)}
          />
        ))}
      </ul>
    </section>
  );
}

function LineTestRow({
  test,
  name,
  result,
  step,
  busy,
  onTest,
  onSeen,
}: {
  test: LineTest;
  name: string;
  result: LineTestResult | null;
  step: Step | null;
  busy: boolean;
  onTest: (kind: LineTestKind) => void;
  onSeen: (kind: LineTestKind, seen: boolean) => void;
}) {
  const [kind, setKind] = useState<LineTestKind>(test.kinds[0] ?? 'note');
  const ago = result && formatDistanceToNowStrict(result.at, { addSuffix: true });
  return (
    <li className="ruled-b py-1.5 text-sm">
      <div className="flex items-center justify-between gap-2">
        <span className="truncate">{name}</span>
        <span className="flex shrink-0 items-center gap-1">
          <select
            aria-label={`Test message for ${name}`}
            value={kind}
            className="border border-rule px-1 py-1"
            onChange={({ target }) => setKind(target.value as LineTestKind)}
          >
            {test.kinds.map((one) => (
              <option key={one} value={one}>
                {KIND_LABELS[one]}
              </option>
            ))}
          </select>
          <Button className="!px-2" disabled={busy} aria-label={`Test line to ${name}`} onClick={() => onTest(kind)}>
            Test
          </Button>
        </span>
      </div>
      <p className={result?.answer === 'nothing' ? 'text-wrong' : 'text-soft'} role="status">
        {step && !step.asks
          ? 'Listening…'
          : result
            ? `${ANSWERS[result.answer]} (${KIND_LABELS[result.kind]}), ${ago}`
            : 'Not tested'}
      </p>
      {step?.asks && (
        <div className="my-1 flex flex-wrap items-center gap-2">
          <span>Sent. {WHAT_TO_SEE[step.kind]}</span>
          <Button onClick={() => onSeen(step.kind, true)}>Yes</Button>
          <Button onClick={() => onSeen(step.kind, false)}>No</Button>
        </div>
      )}
    </li>
  );
}
