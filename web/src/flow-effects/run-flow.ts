import {
  createActor,
  fromPromise,
  type AnyStateMachine,
  type InputFrom,
  type OutputFrom,
  type PromiseActorLogic,
  type SnapshotFrom,
} from 'xstate';
import type { FromOutside } from '../flows/flow';

/** A flow under way. */
export interface RunningFlow<Output> {
  /** Rejects if an effect failed in a state that has no answer to that. */
  done: Promise<Output>;
  send(event: FromOutside): void;
}

/** Runs a machine whose effects are provided; `onState` is called with every state it comes to. */
export function runFlow<Machine extends AnyStateMachine>(
  machine: Machine,
  options: { input?: InputFrom<Machine>; onState?: (snapshot: SnapshotFrom<Machine>) => void } = {},
): RunningFlow<OutputFrom<Machine>> {
  const { input, onState } = options;
  const actor = createActor(machine, { input } as never);
  const done = new Promise<OutputFrom<Machine>>((resolve, reject) => {
    actor.subscribe({
      next: (snapshot) => onState?.(snapshot as SnapshotFrom<Machine>),
      complete: () => resolve((actor.getSnapshot() as { output: OutputFrom<Machine> }).output),
      error: reject,
    });
  });
  actor.start();
  return { done, send: (event) => actor.send(event as never) };
}

/** An effect from a function; its signal is aborted when the machine no longer waits for it. */
export function does<Output = unknown, Input = void>(
  effect: (input: Input, signal: AbortSignal) => NoInfer<Output> | Promise<NoInfer<Output>>,
): PromiseActorLogic<Output, Input> {
  return fromPromise<Output, Input>(async ({ input, signal }) => effect(input, signal));
}
