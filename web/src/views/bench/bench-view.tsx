import clsx from 'clsx';
import { useState } from 'react';
import { useNavigate, useParams } from 'react-router';
import { useTakeFlow } from '../../measure/take-parts';
import { Notice } from '../../parts/notice';
import { useTake, useTakes } from '../../store/use-takes';
import { useClockTakes } from '../../store/use-clock-takes';
import type { Take } from '../../store/records';
import { ClockPanel } from './clock-panel';
import { ClockResult } from './clock-result';
import { CalibrationPanel, ChasePanel, DriftPanel, LoopPanel, TempoPanel } from './experiment-panels';
import { LinkPanel } from './link-panel';
import { LinkResults } from './link-result';
import { LimitsForm } from './limits-form';
import { PlanResult } from './plan-result';
import { RecordingPanel } from './recording-panel';
import { TakePanel } from './take-panel';
import { TakeProgressBar } from './take-progress';
import { TakeResult } from './take-result';

const QUESTIONS = [
  { id: 'latency', text: 'How late does it sound?' },
  { id: 'recording', text: 'How late is it on a recording?' },
  { id: 'calibration', text: 'What does my audio path add?' },
  { id: 'loop', text: 'How long is MIDI on its way?' },
  { id: 'clock', text: 'How even is this clock?' },
  { id: 'chase', text: 'How fast does it lock?' },
  { id: 'tempo', text: 'Does it follow?' },
  { id: 'drift', text: 'Does it drift?' },
  { id: 'link', text: 'How good is this network link?' },
] as const;

type QuestionId = (typeof QUESTIONS)[number]['id'];

const PANELS: Record<QuestionId, () => React.ReactNode> = {
  latency: TakePanel,
  recording: RecordingPanel,
  calibration: CalibrationPanel,
  loop: LoopPanel,
  clock: ClockPanel,
  chase: ChasePanel,
  tempo: TempoPanel,
  drift: DriftPanel,
  link: LinkPanel,
};

/** The question that a take answers. */
function questionOf({ plan, source }: Take): QuestionId {
  return plan?.question ?? (source === 'recording' ? 'recording' : 'latency');
}

/** Measuring: the question and its settings on the left, what came out on the right. */
export function BenchView() {
  const { takeId } = useParams();
  const takes = useTakes();
  const busy = useTakeFlow(({ flow }) => flow.state !== 'idle');
  const problem = useTakeFlow(({ flow }) => (flow.state === 'idle' ? flow.problem : null));
  const navigate = useNavigate();
  const older = useTake(takes.some(({ id }) => id === takeId) ? undefined : takeId);
  const linked = takes.find(({ id }) => id === takeId) ?? older;
  const [asked, setAsked] = useState<QuestionId>('latency');
  const question = linked ? questionOf(linked) : asked;
  const take = linked ?? takes.find((one) => one.status !== 'recording' && questionOf(one) === question);
  const ask = (id: QuestionId) => {
    setAsked(id);
    if (takeId) void navigate('/bench');
  };
  const Panel = PANELS[question];
  return (
    <div className="grid min-h-full grid-cols-1 md:grid-cols-[240px_1fr]">
      <aside className="ruled-r">
        <div role="tablist" aria-label="Questions" aria-orientation="vertical" className="ruled-b py-2">
          {QUESTIONS.map(({ id, text }) => (
            <button
              key={id}
              type="button"
              role="tab"
              id={`question-${id}`}
              aria-selected={question === id}
              aria-controls="question"
              onClick={() => ask(id)}
              className={clsx(
                'block w-full border-l-3 px-4 py-1.5 text-left text-sm hover:bg-raised',
                question === id ? 'border-ink bg-raised font-bold' : 'border-transparent',
              )}
            >
              {text}
            </button>
          ))}
        </div>
        <div role="tabpanel" id="question" aria-labelledby={`question-${question}`} className="p-4">
          <Panel />
          <div className="mt-6">
            <LimitsForm />
          </div>
        </div>
      </aside>
      <section aria-label="Result" className="min-w-0 p-5">
        {problem && (
          <div className="mb-4">
            <Notice>{problem}</Notice>
          </div>
        )}
        {busy && (
          <div className="mb-4">
            <TakeProgressBar />
          </div>
        )}
        {question === 'clock' ? (
          <ClockResults />
        ) : question === 'link' ? (
          <LinkResults />
        ) : !take ? (
          <NothingYet question={question} />
        ) : take.plan ? (
          <PlanResult key={take.id} take={take} />
        ) : (
          <TakeResult key={take.id} take={take} />
        )}
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

const NOTHING_YET: Record<Exclude<QuestionId, 'clock' | 'link'>, string> = {
  latency:
    'A take plays quarter notes, listens to what comes back beside the hub’s click, and tells how late every beat landed.',
  recording: 'Here stands how late each beat is on a recording from any recorder. Drop one on the left.',
  calibration:
    'With a cable from an output to an input this tells what the way out of the computer and in again adds. A take without the click on an input counts it off.',
  loop: 'Notes go out at one port and come in at another: here stands how long that takes, and how much it varies.',
  chase:
    'Timecode is started again and again: here stands how long a follower takes to run, where it lands, and how much that differs from start to start.',
  tempo:
    'The tempo steps up and glides back: here stands how long each follower takes to have it, and how far it strays.',
  drift:
    'A long run tells whether a follower wanders from the beat, by how many parts in a million and how many ms in a song.',
};

function NothingYet({ question }: { question: Exclude<QuestionId, 'clock' | 'link'> }) {
  return (
    <div className="max-w-prose text-soft">
      <h2 className="mb-2 text-lg font-bold text-ink">No take yet</h2>
      <p>{NOTHING_YET[question]}</p>
    </div>
  );
}
