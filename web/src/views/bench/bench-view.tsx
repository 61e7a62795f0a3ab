import clsx from 'clsx';
import { useState } from 'react';
import { useNavigate, useParams } from 'react-router';
import { AddGearLink } from '../../parts/add-gear-link';
import { useSession } from '../../studio/session';
import { ask, useAsked } from '../../studio/asked';
import { usePrompt } from '../../flow-effects/leader-hands';
import { useTakeFlow } from '../../flow-effects/take-state';
import { Notice } from '../../parts/notice';
import { useTake, useTakes } from '../../studio/use-takes';
import { useClockTakes } from '../../studio/use-clock-takes';
import type { Take } from '../../store/records';
import { leaderHeard } from '../../store/take-kind';
import { AgainstPanel } from './against-panel';
import { ClockPanel } from './clock-panel';
import { ClockResult } from './clock-result';
import { CalibrationPanel, ChasePanel, DriftPanel, LoopPanel, TempoPanel } from './experiment-panels';
import { LeaderSoundPanel } from './leader-sound-panel';
import { LinkPanel } from './link-panel';
import { LinkResults } from './link-result';
import { StartsPanel } from './starts-panel';
import { LimitsForm } from './limits-form';
import { MidiReturnPanel } from './midi-return-panel';
import { PlanResult } from './plan-result';
import { ProgramPanel } from './program-panel';
import { RecordingPanel } from './recording-panel';
import { TakePanel } from './take-panel';
import { TakeProgressBar } from './take-progress';
import { TakeResult } from './take-result';
import { TrialPanel, TrialResult } from './trial-panel';

const GROUPS = [
  {
    name: 'Audio',
    questions: [
      { id: 'latency', text: 'How late is my gear?' },
      { id: 'against', text: 'How far behind the leader?' },
      { id: 'leaderSound', text: 'How late is the leader?' },
      { id: 'recording', text: 'How late is a recorded part?' },
      { id: 'calibration', text: 'What is my audio round trip?' },
      { id: 'program', text: 'How fast do programs change?' },
    ],
  },
  {
    name: 'MIDI',
    questions: [
      { id: 'midiReturn', text: 'How late is returning MIDI?' },
      { id: 'loop', text: 'How fast is this MIDI path?' },
      { id: 'clock', text: 'How stable is this clock?' },
      { id: 'link', text: 'How good is this network link?' },
    ],
  },
  {
    name: 'Sync',
    questions: [
      { id: 'starts', text: 'Are all starts the same?' },
      { id: 'chase', text: 'How fast does timecode lock?' },
      { id: 'tempo', text: 'Does my gear follow tempo?' },
      { id: 'drift', text: 'Does my gear drift?' },
      { id: 'trial', text: 'Who should lead?' },
    ],
  },
] as const;

type QuestionId = (typeof GROUPS)[number]['questions'][number]['id'];

const QUESTIONS: readonly QuestionId[] = GROUPS.flatMap(({ questions }) => questions.map(({ id }) => id));

/** The question that an arrow key, Home or End leads to; the list is one tab stop. */
function questionAt(from: QuestionId, key: string): QuestionId | undefined {
  const at = QUESTIONS.indexOf(from);
  const count = QUESTIONS.length;
  switch (key) {
    case 'ArrowDown':
      return QUESTIONS[(at + 1) % count];
    case 'ArrowUp':
      return QUESTIONS[(at + count - 1) % count];
    case 'Home':
      return QUESTIONS[0];
    case 'End':
      return QUESTIONS.at(-1);
    default:
      return undefined;
  }
}

/** They show results of their own. */
type WithResults = 'clock' | 'link' | 'trial';

/** Experiments whose result looks like a take’s. */
const BY_BEATS: ReadonlySet<string> = new Set(['against', 'leaderSound']);

const PANELS: Record<QuestionId, () => React.ReactNode> = {
  latency: TakePanel,
  against: AgainstPanel,
  leaderSound: LeaderSoundPanel,
  recording: RecordingPanel,
  calibration: CalibrationPanel,
  midiReturn: MidiReturnPanel,
  loop: LoopPanel,
  clock: ClockPanel,
  starts: StartsPanel,
  chase: ChasePanel,
  tempo: TempoPanel,
  drift: DriftPanel,
  program: ProgramPanel,
  link: LinkPanel,
  trial: TrialPanel,
};

/** The question a take belongs to. */
function questionOf({ plan, source }: Take): QuestionId {
  if (plan?.question === 'startsBySound') return source === 'recording' ? 'recording' : 'against';
  if (leaderHeard(plan) !== undefined) return 'against';
  if (plan?.question === 'tempoRun') return 'tempo';
  return plan?.question ?? (source === 'recording' ? 'recording' : 'latency');
}

/** Measuring: pick a question, set up the take, read the result. */
export function BenchView() {
  const { takeId } = useParams();
  const takes = useTakes();
  const busy = useTakeFlow(({ flow }) => flow.state !== 'idle');
  const prompt = usePrompt(({ prompt }) => prompt);
  const problem = useTakeFlow(({ flow }) => (flow.state === 'idle' ? flow.problem : null));
  const navigate = useNavigate();
  const older = useTake(takes.some(({ id }) => id === takeId) ? undefined : takeId);
  const linked = takes.find(({ id }) => id === takeId) ?? older;
  const asked = useAsked(({ asked }) => asked) as QuestionId;
  const question = linked ? questionOf(linked) : asked;
  const take = linked ?? takes.find((one) => one.status !== 'recording' && questionOf(one) === question);
  const choose = (id: QuestionId) => {
    ask(id);
    if (takeId) void navigate('/bench');
  };
  const Panel = PANELS[question];
  return (
    <div className="grid min-h-full grid-cols-1 md:grid-cols-[240px_1fr] lg:grid-cols-[184px_232px_1fr]">
      <aside className="ruled-r lg:contents">
        <div
          role="tablist"
          aria-label="Questions"
          aria-orientation="vertical"
          onKeyDown={(event) => {
            const next = questionAt(question, event.key);
            if (!next) return;
            event.preventDefault();
            choose(next);
            document.getElementById(`question-${next}`)?.focus();
          }}
          className="py-2 max-lg:ruled-b max-md:max-h-48 max-md:overflow-y-auto lg:ruled-r"
        >
          {GROUPS.map(({ name, questions }) => (
            <div key={name} role="presentation" className="mb-2">
              <p className="px-4 pt-1 text-xs text-soft">{name}</p>
              {questions.map(({ id, text }) => (
                <button
                  key={id}
                  type="button"
                  role="tab"
                  id={`question-${id}`}
                  aria-selected={question === id}
                  tabIndex={question === id ? 0 : -1}
                  aria-controls="question"
                  onClick={() => choose(id)}
                  className={clsx(
                    'block w-full border-l-3 px-4 py-1.5 text-left text-sm hover:bg-raised',
                    question === id ? 'border-ink bg-raised font-bold' : 'border-transparent',
                  )}
                >
                  {text}
                </button>
              ))}
            </div>
          ))}
        </div>
        <div role="tabpanel" id="question" aria-labelledby={`question-${question}`} className="p-4 lg:ruled-r">
          <Panel />
          <div className="mt-4">
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
        {prompt !== null && (
          <p role="status" className="mb-4 border border-ink px-4 py-2.5 text-lg font-bold">
            {prompt}
          </p>
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
        ) : question === 'trial' ? (
          <TrialResult />
        ) : !take ? (
          <NoTakesYet question={question} />
        ) : take.plan && !BY_BEATS.has(take.plan.question) ? (
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
        Measures an incoming clock: tempo with its confidence interval, jitter, drift, and stability over seconds and
        minutes. Choose a clock source and press <b className="text-ink">Measure clock</b>.
      </p>
    </div>
  );
}

const WHAT_IT_DOES: Record<Exclude<QuestionId, WithResults>, string> = {
  latency:
    'A take plays quarter notes, records the audio returns alongside the hub’s click, and shows how late each beat landed.',
  against:
    'Measures followers against the sound of the program or box that leads: how late they are, how they start, follow its tempo, or drift. Metronomo only listens: press play there, then record.',
  leaderSound:
    'Measures how late the leader sounds against its own clock or timecode, so that everyone else can be moved onto its sound.',
  recording: 'Drop a recording on the left to see how late each beat is. Any recorder will do.',
  calibration:
    'Patch a cable from an output to an input to measure your audio round trip. Takes without a click input subtract it automatically.',
  midiReturn: 'Measures clock, notes and timecode that a device sends back, against the hub’s own. No sound is needed.',
  loop: 'Sends notes out of one port and times them coming back in. Shows how long the round trip takes and how much it varies.',
  starts:
    'Starts the song again and again. Shows whether clock followers land in the same place each time, so that parts recorded in separate passes line up.',
  chase:
    'Starts timecode repeatedly. Shows how long a follower takes to lock, where it lands, and how much that varies between starts.',
  tempo:
    'Changes the tempo by a step and a ramp, by the song’s tempo map, or as you like. Shows how long each follower takes to settle, how far it strays, and whether it loses ticks.',
  program:
    'Plays test notes after program changes, closer and closer, and listens for the first note with the new sound. Shows how far ahead of a section its program must be sent.',
  drift: 'A long take shows whether a follower drifts off the beat, in parts per million and in ms per song.',
};

const NEEDS_NO_GEAR: ReadonlySet<QuestionId> = new Set(['calibration', 'loop']);

function NoTakesYet({ question }: { question: Exclude<QuestionId, WithResults> }) {
  const isEmpty = useSession(({ rig }) => rig?.gear.length === 0);
  return (
    <div className="max-w-prose text-soft">
      <h2 className="mb-2 text-lg font-bold text-ink">No takes yet</h2>
      <p className="mb-4">{WHAT_IT_DOES[question]}</p>
      {isEmpty && !NEEDS_NO_GEAR.has(question) && <AddGearLink />}
    </div>
  );
}
