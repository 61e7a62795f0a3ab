import { measurement } from '../flows/measurement';
import { ports } from '../ports/port-registry';
import { onLeavingRig } from '../studio/rig';
import { useSession } from '../studio/session';
import { does, runFlow, type RunningFlow } from './run-flow';

/** What a measurement does in each state of its machine. */
export interface Measurement<Captured, Result> {
  /** Losing one of these ends it. */
  needs: {
    ports: readonly { portId: string; sentence: (portName: string) => string }[];
    input: boolean;
    motion: boolean;
  };
  /** @throws Error with a sentence for the musician if it can't start. */
  prepare(): Promise<void> | void;
  start(signal: AbortSignal): Promise<void> | void;
  capture(): RunningFlow<Captured>;
  analyze(captured: Captured): Promise<Result | null>;
  /** Saves what was captured before it failed. */
  recover(why: string | null): Promise<Result | null>;
  restore(): Promise<void> | void;
}

/** The end of a measurement. Without a result nothing was kept. */
export interface Measured<Result> {
  result: Result | null;
  problem: string | null;
  ended: boolean;
}

export type MeasurementState =
  'preparing' | 'starting' | 'capturing' | 'analyzing' | 'recovering' | 'restoring' | 'done';

/** Carries out measurements, one at a time, and ends the one under way when it loses what it needs. */
export class FlowDesk {
  #running: RunningFlow<unknown> | null = null;

  get busy(): boolean {
    return this.#running !== null;
  }

  /** Finishes early with what there is. */
  end(): void {
    this.#running?.send({ type: 'END' });
  }

  /** Null if one is under way already. */
  async run<Captured, Result>(
    its: Measurement<Captured, Result>,
    onState: (state: MeasurementState) => void = () => undefined,
  ): Promise<Measured<Result> | null> {
    if (this.#running) return null;
    let capturing: RunningFlow<Captured> | null = null;
    const machine = measurement.provide({
      actors: {
        prepare: does(() => its.prepare()),
        start: does((_, signal: AbortSignal) => its.start(signal)),
        capture: does(() => {
          capturing = its.capture();
          return capturing.done;
        }),
        analyze: does(({ captured }: { captured: unknown }) => its.analyze(captured as Captured)),
        recover: does(({ why }: { why: string | null }) => its.recover(why)),
        restore: does(() => its.restore()),
      },
      actions: {
        passOnEnd: () => capturing?.send({ type: 'END' }),
        passOnLoss: (_, { why }) => capturing?.send({ type: 'LOST', why }),
      },
    });
    const running = runFlow(machine, { onState: ({ value }) => onState(value as MeasurementState) });
    this.#running = running;
    const stay = onLeavingRig(async () => {
      running.send({ type: 'LOST', why: 'Another rig was opened during the take.' });
      await running.done;
    });
    const unwatch = watch(its.needs, (why) => running.send({ type: 'LOST', why }));
    try {
      return (await running.done) as Measured<Result>;
    } finally {
      unwatch();
      stay();
      this.#running = null;
    }
  }
}

/** Calls `lose` with the reason when something that is needed is lost. Returns an unsubscribe function. */
function watch(needs: Measurement<unknown, unknown>['needs'], lose: (why: string) => void): () => void {
  const unwatchPorts = ports.onChange(({ id, name, connected }) => {
    const lost = connected ? undefined : needs.ports.find(({ portId }) => portId === id);
    if (lost) lose(lost.sentence(name));
  });
  const unwatchStudio = useSession.subscribe((now, before) => {
    if (now.lost !== before.lost && now.lost?.which === 'hub' && (needs.input || needs.motion))
      lose(`${now.lost.why} It was restarted, and playback resumed. Repeat the take.`);
    if (needs.input && !now.input && before.input)
      lose(now.inputProblem ?? 'The audio input was closed during the take. Open it again, then repeat the take.');
    if (needs.motion && before.snapshot.state === 'rolling' && now.snapshot.state === 'stopped')
      lose('The hub stopped during the take.');
  });
  return () => {
    unwatchPorts();
    unwatchStudio();
  };
}
