import clsx from 'clsx';
import { useState } from 'react';
import { useParams } from 'react-router';
import { useTakeFlow } from '../../measure/take-flow';
import { Notice } from '../../parts/notice';
import { useTakes } from '../../store/use-takes';
import { useClockTakes } from '../../store/use-clock-takes';
import { ClockPanel } from './clock-panel';
import { ClockResult } from './clock-result';
import { RecordingPanel } from './recording-panel';
import { TakePanel } from './take-panel';
import { TakeProgressBar } from './take-progress';
import { TakeResult } from './take-result';

const QUESTIONS = [
  { id: 'live', text: 'How late does it sound?' },
  { id: 'recording', text: 'How late is it on a recording?' },
  { id: 'clock', text: 'How even is this clock?' },
] as const;

/** Measuring: the question and its settings on the left, what came out on the right. */
export function BenchView() {
  const { takeId } = useParams();
  const takes = useTakes();
  const flow = useTakeFlow(({ flow }) => flow);
  const [question, setQuestion] = useState<(typeof QUESTIONS)[number]['id']>('live');
  const take = takeId ? takes.find(({ id }) => id === takeId) : takes.find(({ status }) => status !== 'recording');
  return (
    <div className="grid min-h-full grid-cols-1 md:grid-cols-[240px_1fr]">
      <aside className="ruled-r">
        <div role="tablist" aria-label="Questions" aria-orientation="vertical" className="ruled-b py-3">
          {QUESTIONS.map(({ id, text }) => (
            <button
              key={id}
              type="button"
              role="tab"
              id={`question-${id}`}
              aria-selected={question === id}
              aria-controls="question"
              onClick={() => setQuestion(id)}
              className={clsx(
                'block w-full border-l-3 px-4 py-2 text-left text-sm hover:bg-raised',
                question === id ? 'border-ink bg-raised font-bold' : 'border-transparent',
              )}
            >
              {text}
            </button>
          ))}
        </div>
        <div role="tabpanel" id="question" aria-labelledby={`question-${question}`} className="p-4">
          {question === 'live' && <TakePanel />}
          {question === 'recording' && <RecordingPanel />}
          {question === 'clock' && <ClockPanel />}
        </div>
      </aside>
      <section aria-label="Result" className="min-w-0 p-5">
        {flow.state === 'idle' && flow.problem && (
          <div className="mb-4">
            <Notice>{flow.problem}</Notice>
          </div>
        )}
        {flow.state !== 'idle' && <TakeProgressBar />}
        {question === 'clock' ? <ClockResults /> : take ? <TakeResult key={take.id} take={take} /> : <NothingYet />}
      </section>
    </div>
  );
}

function ClockResults() {
  const takes = useClockTakes().filter(({ status }) => status !== 'recording');
  const [chosenId, setChosenId] = useState<string | null>(null);
  const take = takes.find(({ id }) => id === chosenId) ?? takes[0];
  if (take) return <ClockResult take={take} others={takes} onChoose={setChosenId} />;
  return (
    <div className="max-w-prose text-soft">
      <h2 className="mb-2 text-lg font-bold text-ink">No clock measured yet</h2>
      <p>
        Here stands how even a clock is that comes in: its tempo and how sure that is, its jitter, its drift, and how
        steady it is over seconds and minutes. Choose whose, and press <b className="text-ink">Listen</b>.
      </p>
    </div>
  );
}

function NothingYet() {
  return (
    <div className="max-w-prose text-soft">
      <h2 className="mb-2 text-lg font-bold text-ink">No take yet</h2>
      <p>
        A take plays quarter notes, listens to what comes back beside the hub’s click, and tells how late every beat
        landed. Press <b className="text-ink">Take</b>, or drop a recording.
      </p>
    </div>
  );
}
