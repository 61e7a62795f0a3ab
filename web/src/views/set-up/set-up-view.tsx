import { HUB_ID, RigError, type GearKind, type HeardOnInput } from '@metronomo/core';
import clsx from 'clsx';
import { useLiveQuery } from 'dexie-react-hooks';
import { useEffect, useState } from 'react';
import { Link } from 'react-router';
import { endSearch, forgetTried, useSetUp, type PortChoice } from '../../flow-effects/set-up-flow';
import { Button } from '../../parts/button';
import { StateMark } from '../../parts/state-mark';
import { useCalibration } from '../bench/round-trip';
import { freeName, gear as newGear, withAudioOuts } from '../../store/gear';
import type { Gear, Rig } from '../../store/records';
import { createPractice, createRig, listRigs } from '../../store/rigs';
import { setInputPort, setOutputPort } from '../../store/rig-plan';
import { changeRig, switchRig } from '../../studio/rig';
import { useSession } from '../../studio/session';
import { PRACTICE_ID } from '../../store/boathouse';
import { count, decimal } from '../../words/numbers';
import { ClickStep } from './click-step';
import { InputStep, KindStep, OutputStep, ReturnStep } from './device-steps';
import { FoundSoFar, useClickFound } from './found-so-far';
import { PortsStep } from './ports-step';
import { TimeStep } from './time-step';
import { useStudioPorts } from './use-studio-ports';

type Step = 'ports' | 'click' | 'input' | 'kind' | 'output' | 'return' | 'time';

/** Where the set-up is; `gearId` is null for a device whose type isn't known yet. */
interface Place {
  step: Step;
  gearId: string | null;
  /** The input port that the device moved. */
  port: PortChoice | null;
  heard: HeardOnInput | null;
}

const DEVICE_STEPS: readonly Step[] = ['input', 'kind', 'output', 'return'];
const START: Place = { step: 'ports', gearId: null, port: null, heard: null };

/** From what is plugged in to everyone in time, step by step. */
export function SetUpView() {
  const rig = useSession(({ rig }) => rig);
  useEffect(() => endSearch, []);
  if (!rig) return null;
  return rig.demo && rig.id !== PRACTICE_ID ? <ChooseStudio /> : <SetUp key={rig.id} rig={rig} />;
}

/** The demo is wired already. */
function ChooseStudio() {
  const rigs = useLiveQuery(listRigs) ?? [];
  const own = rigs.filter(({ demo }) => !demo);
  const start = async () => switchRig(own[0]?.id ?? (await createRig('My studio')));
  return (
    <div className="flex max-w-2xl flex-col gap-4 p-10">
      <h2 className="text-2xl font-bold">Set up a studio</h2>
      <p>
        The set-up starts from what is plugged in: it finds the output and the input of each device by playing it,
        measures how late everything sounds, and brings it into time. It takes a few minutes, and every step can be
        skipped.
      </p>
      <div className="flex flex-wrap gap-2">
        <Button tone="strong" onClick={() => void start()}>
          Set up {own[0]?.name ?? 'My studio'}
        </Button>
        <Button onClick={() => void createPractice().then(switchRig)}>Practice with stand-ins</Button>
      </div>
      <p className="text-sm text-soft">
        Practice uses the demo’s simulated room with nothing wired. The demo itself stays as it is.
      </p>
    </div>
  );
}

function SetUp({ rig }: { rig: Rig }) {
  const [place, setPlace] = useState<Place>(() => ({ ...START, step: rig.gear.length > 0 ? 'time' : 'ports' }));
  const [problem, setProblem] = useState<string | null>(null);
  const gear = rig.gear.find(({ id }) => id === place.gearId) ?? null;
  const go = (step: Step, more: Partial<Place> = {}) => {
    setProblem(null);
    setPlace((before) => ({ ...before, ...more, step }));
  };
  const another = () => {
    forgetTried();
    go('input', { gearId: null, port: null, heard: null });
  };
  const edit = (id: string) => {
    forgetTried();
    go('kind', { gearId: id, port: null, heard: null });
  };
  const change = async (make: (before: Rig) => Rig): Promise<boolean> => {
    try {
      await changeRig(make);
      return true;
    } catch (error) {
      if (!(error instanceof RigError)) throw error;
      setProblem(error.message);
      return false;
    }
  };
  const changeGear = (id: string, made: Partial<Gear>) =>
    change((before) => ({ ...before, gear: before.gear.map((one) => (one.id === id ? { ...one, ...made } : one)) }));
  const takeKind = async (kind: GearKind, name: string) => {
    const port = place.port ?? (gear && inputPortOf(rig, gear.id));
    const id = gear?.id ?? crypto.randomUUID();
    const isNew = gear?.kind !== kind;
    const made = await change((before) => {
      const others = before.gear.filter((one) => one.id !== id);
      const unique = freeName({ ...before, gear: others }, name);
      if (!isNew)
        return { ...before, gear: before.gear.map((one) => (one.id === id ? { ...one, name: unique } : one)) };
      const bare = gear ? setOutputPort(before, id, null) : before;
      const added = {
        ...bare,
        gear: [...bare.gear.filter((one) => one.id !== id), newGear({ id, kind, name: unique })],
        cables: bare.cables.filter(({ from, to }) => from.gearId !== id && to.gearId !== id),
      };
      return port ? withInput(added, id, port) : added;
    });
    if (made) go('output', { gearId: id });
  };
  const takeOutput = async (id: string, port: PortChoice | null, heard: HeardOnInput | null) => {
    if (await change((before) => setOutputPort(before, id, port))) go('return', { heard });
  };
  const takeReturn = async (one: Gear, channel: number | null) => {
    const [first = { label: 'Main', input: null }, ...others] = one.audioOuts;
    if (await changeGear(one.id, withAudioOuts([{ ...first, input: channel }, ...others]))) go('time');
  };
  const number = gear ? rig.gear.indexOf(gear) + 1 : rig.gear.length + 1;
  const above = `Device ${number}, step ${DEVICE_STEPS.indexOf(place.step) + 1} of ${DEVICE_STEPS.length}`;
  return (
    <div className="grid min-h-full grid-cols-1 max-md:grid-rows-[auto_1fr] md:grid-cols-[240px_1fr] xl:grid-cols-[260px_1fr_360px]">
      <Rail rig={rig} place={place} onGo={go} onEdit={edit} onAnother={another} />
      <div className="min-w-0 p-6 lg:px-10">
        {problem && (
          <p role="alert" className="mb-4 border border-wrong bg-raised px-3 py-2 text-sm">
            {problem}
          </p>
        )}
        {place.step === 'ports' && <PortsStep rig={rig} onDone={() => go('click')} />}
        {place.step === 'click' && (
          <ClickStep
            rig={rig}
            onBack={() => go('ports')}
            onDone={() => (rig.gear.length > 0 ? go('time') : another())}
          />
        )}
        {place.step === 'input' && (
          <InputStep
            above={above}
            practice={rig.demo}
            onBack={() => go('click')}
            onDone={(port) => go('kind', { port })}
          />
        )}
        {place.step === 'kind' && (
          <KindStep
            key={place.gearId}
            above={above}
            gear={gear}
            freeName={(wanted) => freeName({ gear: rig.gear.filter((one) => one !== gear) }, wanted)}
            onBack={() => (gear ? go('time') : go('input'))}
            onDone={(kind, name) => void takeKind(kind, name)}
          />
        )}
        {place.step === 'output' && gear && (
          <OutputStep
            above={above}
            rig={rig}
            gear={gear}
            onBack={() => go('kind')}
            onDone={(port, heard) => void takeOutput(gear.id, port, heard)}
          />
        )}
        {place.step === 'return' && gear && (
          <ReturnStep
            key={gear.id}
            above={above}
            rig={rig}
            gear={gear}
            heard={place.heard}
            onBack={() => go('output')}
            onDone={(channel) => void takeReturn(gear, channel)}
          />
        )}
        {place.step === 'time' && <TimeStep rig={rig} onAnother={another} />}
      </div>
      <aside className="p-6 max-xl:hidden ruled-l">
        <FoundSoFar rig={rig} currentId={place.gearId} />
      </aside>
    </div>
  );
}

/** The hub's input port that a device sends to. */
function inputPortOf({ cables, hubSockets }: Rig, id: string): PortChoice | null {
  const cable = cables.find(({ from, to }) => from.gearId === id && to.gearId === HUB_ID);
  const socket = hubSockets.find((one) => one.id === cable?.to.socketId);
  return socket?.portId ? { id: socket.portId, name: socket.label } : null;
}

/** A device without a MIDI out keeps none. */
function withInput(rig: Rig, id: string, port: PortChoice): Rig {
  const hasOut = rig.gear.find((one) => one.id === id)?.sockets.some(({ direction }) => direction === 'out');
  return hasOut ? setInputPort(rig, id, port) : rig;
}

interface RailEntry {
  key: string;
  name: string;
  line: string;
  state: 'done' | 'now' | 'open';
  onGo: () => void;
}

/** The steps, how each stands, and the way back to any of them. */
function Rail({
  rig,
  place,
  onGo,
  onEdit,
  onAnother,
}: {
  rig: Rig;
  place: Place;
  onGo: (step: Step) => void;
  onEdit: (id: string) => void;
  onAnother: () => void;
}) {
  const { outputs, inputs } = useStudioPorts();
  const input = useSession(({ input }) => input);
  const searching = useSetUp(({ trying, click }) => trying !== null || click === 'listening' || click === 'measuring');
  const calibration = useCalibration();
  const clickFound = useClickFound();
  const ready = rig.gear.filter(isReady).length;
  const isNew = DEVICE_STEPS.includes(place.step) && place.gearId === null;
  const audio = input ? `audio with ${count(input.channels, 'input')}` : 'no audio';
  const entries: RailEntry[] = [
    {
      key: 'ports',
      name: 'Ports',
      line: `${outputs.length} out, ${inputs.length} in, ${audio}`,
      state: place.step === 'ports' ? 'now' : outputs.length > 0 ? 'done' : 'open',
      onGo: () => onGo('ports'),
    },
    {
      key: 'click',
      name: 'Hub click',
      line: calibration
        ? `input ${rig.input.clickChannel + 1}, round trip ${decimal(calibration.roundTripMs, 1)} ms`
        : clickFound
          ? `input ${rig.input.clickChannel + 1}`
          : 'not found yet',
      state: place.step === 'click' ? 'now' : clickFound ? 'done' : 'open',
      onGo: () => onGo('click'),
    },
    ...rig.gear.map((gear): RailEntry => ({
      key: gear.id,
      name: gear.name,
      line: deviceLine(gear, place),
      state: place.gearId === gear.id && place.step !== 'time' ? 'now' : isReady(gear) ? 'done' : 'open',
      onGo: () => onEdit(gear.id),
    })),
    ...(isNew
      ? [
          {
            key: 'new',
            name: 'New device',
            line: place.step === 'input' ? 'finding its input' : 'choosing its type',
            state: 'now' as const,
            onGo: () => undefined,
          },
        ]
      : []),
    {
      key: 'time',
      name: 'Bring into time',
      line: ready === 0 ? 'when devices are found' : `${count(ready, 'device')} ready`,
      state: place.step === 'time' ? 'now' : 'open',
      onGo: () => onGo('time'),
    },
  ];
  return (
    <nav aria-label="Set-up steps" className="ruled-r py-5 max-md:ruled-b max-md:py-2">
      <h2 className="px-5 pb-3 text-lg font-bold max-md:hidden">
        {rig.demo ? 'Practice set-up' : `Set up ${rig.name}`}
      </h2>
      <ol className="max-md:flex max-md:overflow-x-auto">
        {entries.map(({ key, name, line, state, onGo: go }) => (
          <li key={key} className="max-md:shrink-0">
            <button
              type="button"
              aria-current={state === 'now' ? 'step' : undefined}
              disabled={searching}
              onClick={go}
              className={clsx(
                'flex w-full flex-col border-l-3 px-4 py-2 text-left enabled:hover:bg-raised',
                state === 'now' ? 'border-ink bg-raised' : 'border-transparent',
              )}
            >
              <StateMark
                state={state === 'done' ? 'locked' : state === 'now' ? 'settling' : 'silent'}
                word={<b className="max-w-44 truncate">{name}</b>}
              />
              <span className="pl-5 text-sm text-soft max-md:hidden">{line}</span>
            </button>
          </li>
        ))}
      </ol>
      <div className="mt-3 flex flex-col items-start gap-1 border-t border-rule px-4 pt-3 max-md:mt-0 max-md:flex-row max-md:border-0">
        <Button tone="quiet" className="!px-1 underline" disabled={searching} onClick={onAnother}>
          Add another device
        </Button>
        <Link to="/rig" className="px-1 py-1.5 text-sm text-soft underline underline-offset-4 hover:text-ink">
          Do it by hand in Rig
        </Link>
      </div>
    </nav>
  );
}

const isReady = ({ portId, returnChannel }: Gear) => portId !== null && returnChannel !== null;

function deviceLine(gear: Gear, place: Place): string {
  if (gear.id === place.gearId && place.step === 'output') return 'finding its output';
  if (gear.id === place.gearId && place.step === 'return') return 'finding its audio return';
  if (gear.portId === null) return 'no output yet';
  return gear.returnChannel === null
    ? `${gear.syncsTo}, no audio return`
    : `${gear.syncsTo}, comes in on ${gear.returnChannel + 1}`;
}
