import { lineTests, type LineTest, type LineTestKind } from '@metronomo/core';
import { formatDistanceToNowStrict } from 'date-fns';
import { useState } from 'react';
import { Button } from '../../parts/button';
import { Notice } from '../../parts/notice';
import type { LineTestResult, Rig } from '../../store/records';
import { planOf } from '../../store/rig-plan';
import { keepAnswer, LineTestError, testLine } from './test-line';

const ANSWERS: Readonly<Record<LineTestResult['answer'], string>> = {
  sound: 'heard',
  midi: 'answered by MIDI',
  seen: 'seen by you',
  nothing: 'no answer',
};

/** What somebody who stands before the gear would see. */
const WHAT_TO_SEE: Readonly<Record<LineTestKind, string>> = {
  'clock burst': 'Did it play, or blink, for two beats?',
  note: 'Did it play a note, or show that one came in?',
  'identity request': 'Did it show that something came in?',
  'full frame': 'Does it stand at 01:00:00:00?',
};

interface Step {
  cableId: string;
  kind: LineTestKind;
  asks: boolean;
}

/** A known thing down each line, and what came back. */
export function LineTests({ rig }: { rig: Rig }) {
  const tests = lineTests(planOf(rig));
  const [step, setStep] = useState<Step | null>(null);
  const [problem, setProblem] = useState<string | null>(null);
  if (tests.length === 0) return null;
  const answered = tests.filter(({ cableId }) => (rig.tested[cableId]?.answer ?? 'nothing') !== 'nothing').length;
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
  // Those that somebody has to look at come one by one, by hand.
  const runAll = async () => {
    for (const test of tests) {
      const [kind] = test.kinds;
      if (kind && (test.hearsAt !== null || test.answersAt !== null) && !(await run(test, kind))) return;
    }
  };
  return (
    <section aria-label="Line test" className="ruled-t mt-2 pt-3">
      <div className="flex items-center justify-between">
        <h2 className="text-lg font-bold">
          Line test <span className="text-sm font-normal text-soft">{`${answered} of ${tests.length} answered`}</span>
        </h2>
        <Button disabled={step !== null} onClick={() => void runAll()}>
          Test every line
        </Button>
      </div>
      {problem && (
        <div className="mt-2">
          <Notice>{problem}</Notice>
        </div>
      )}
      <ul className="mt-1">
        {tests.map((test) => (
          <Line
            key={test.cableId}
            test={test}
            name={rig.gear.find(({ id }) => id === test.gearId)?.name ?? ''}
            result={rig.tested[test.cableId] ?? null}
            step={step?.cableId === test.cableId ? step : null}
            busy={step !== null}
            onTest={(kind) => void run(test, kind)}
            onSeen={(kind, seen) =>
              void keepAnswer(test.cableId, kind, seen ? 'seen' : 'nothing').then(() => setStep(null))
            }
          />
        ))}
      </ul>
    </section>
  );
}

function Line({
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
            aria-label={`What to send to ${name}`}
            value={kind}
            className="border border-rule px-1 py-1"
            onChange={({ target }) => setKind(target.value as LineTestKind)}
          >
            {test.kinds.map((one) => (
              <option key={one}>{one}</option>
            ))}
          </select>
          <Button
            className="!px-2"
            disabled={busy}
            aria-label={`Test the line to ${name}`}
            onClick={() => onTest(kind)}
          >
            Test
          </Button>
        </span>
      </div>
      <p className={result?.answer === 'nothing' ? 'text-wrong' : 'text-soft'} role="status">
        {step && !step.asks
          ? 'listening …'
          : result
            ? `${ANSWERS[result.answer]}, ${result.kind}, ${ago}`
            : 'not tested'}
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
