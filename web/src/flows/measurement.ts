import { assign, setup } from 'xstate';
import { action, effect, type FromOutside } from './flow';

interface Context {
  /** What was captured, not analyzed yet. */
  captured: unknown;
  result: unknown;
  /** Why it failed, as a sentence for the musician. */
  problem: string | null;
  /** Finished early by the musician. */
  ended: boolean;
}

/** The end of a measurement. Without a result nothing was kept. */
export interface Outcome {
  result: unknown;
  problem: string | null;
  ended: boolean;
}

/**
 * The frame around every measurement: prepares the studio, captures, analyzes, and always puts the studio back. What is
 * captured, and how, is a machine of its own.
 */
export const measurement = setup({
  types: {} as { context: Context; events: FromOutside; output: Outcome },
  actors: {
    /** Checks what could prevent it, and sets the studio up. */
    prepare: effect(),
    start: effect(),
    /** Runs the machine that captures. */
    capture: effect(),
    analyze: effect<unknown, { captured: unknown }>(),
    /** Saves what was captured before something was lost. */
    recover: effect<unknown, { why: string | null }>(),
    restore: effect(),
  },
  actions: {
    passOnEnd: () => undefined,
    passOnLoss: action<{ why: string }>(),
    noteEnd: assign({ ended: true }),
    noteProblem: assign({ problem: (_, { why }: { why: string }) => why }),
    keepCaptured: assign({ captured: (_, { output }: { output: unknown }) => output }),
    keepResult: assign({ result: (_, { output }: { output: unknown }) => output }),
  },
}).createMachine({
  id: 'measurement',
  context: { captured: null, result: null, problem: null, ended: false },
  initial: 'preparing',
  states: {
    preparing: {
      invoke: {
        src: 'prepare',
        onDone: 'starting',
        onError: { target: 'restoring', actions: { type: 'noteProblem', params: ({ event }) => reason(event.error) } },
      },
      on: {
        END: { target: 'restoring', actions: 'noteEnd' },
        LOST: { target: 'restoring', actions: { type: 'noteProblem', params: ({ event }) => event } },
      },
    },
    starting: {
      invoke: {
        src: 'start',
        onDone: 'capturing',
        onError: { target: 'restoring', actions: { type: 'noteProblem', params: ({ event }) => reason(event.error) } },
      },
      on: {
        END: { target: 'restoring', actions: 'noteEnd' },
        LOST: { target: 'restoring', actions: { type: 'noteProblem', params: ({ event }) => event } },
      },
    },
    capturing: {
      invoke: {
        src: 'capture',
        onDone: { target: 'analyzing', actions: { type: 'keepCaptured', params: ({ event }) => event } },
        onError: { target: 'recovering', actions: { type: 'noteProblem', params: ({ event }) => reason(event.error) } },
      },
      on: {
        END: { actions: ['noteEnd', 'passOnEnd'] },
        LOST: { actions: { type: 'passOnLoss', params: ({ event }) => event } },
      },
    },
    analyzing: {
      invoke: {
        src: 'analyze',
        input: ({ context }) => ({ captured: context.captured }),
        onDone: { target: 'restoring', actions: { type: 'keepResult', params: ({ event }) => event } },
        onError: { target: 'recovering', actions: { type: 'noteProblem', params: ({ event }) => reason(event.error) } },
      },
    },
    recovering: {
      invoke: {
        src: 'recover',
        input: ({ context }) => ({ why: context.problem }),
        onDone: { target: 'restoring', actions: { type: 'keepResult', params: ({ event }) => event } },
        onError: 'restoring',
      },
    },
    // The studio is put back before the next measurement may start. A failure here changes nothing that was measured.
    restoring: { invoke: { src: 'restore', onDone: 'done', onError: 'done' } },
    done: { type: 'final' },
  },
  output: ({ context }) => ({ result: context.result, problem: context.problem, ended: context.ended }),
});

function reason(error: unknown): { why: string } {
  return { why: error instanceof Error ? error.message : 'The measurement failed. Try again.' };
}
