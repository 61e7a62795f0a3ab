import { assign, setup } from 'xstate';
import { effect, type FromOutside } from './flow';

interface Context {
  everyMs: number;
  /** Why it ends before it has all; null while it goes on. */
  ending: string | null;
}

/** What a look has brought: whether that is all, or why it has to end. */
export interface Look {
  done: boolean;
  ending?: string | null;
}

/** Looks again and again for what has arrived, and keeps it each time, until it has enough. */
export const collecting = setup({
  types: {} as {
    context: Context;
    events: FromOutside;
    input: Pick<Context, 'everyMs'>;
    /** Why it ended early; null if it didn't. */
    output: string | null;
  },
  actors: {
    open: effect(),
    /** Keeps what has arrived since the last look. */
    look: effect<Look>(),
    close: effect(),
  },
  actions: {
    noteEnding: assign({ ending: (_, { why }: { why: string | null | undefined }) => why ?? null }),
  },
  guards: {
    isOver: (_, { done, ending = null }: Look) => done || ending !== null,
    endsEarly: ({ context }) => context.ending !== null,
  },
  delays: { untilNextLook: ({ context }) => context.everyMs },
}).createMachine({
  id: 'collecting',
  context: ({ input }) => ({ ...input, ending: null }),
  initial: 'opening',
  states: {
    opening: {
      invoke: { src: 'open', onDone: [{ guard: 'endsEarly', target: 'closing' }, { target: 'waiting' }] },
      on: {
        END: { actions: { type: 'noteEnding', params: { why: 'Finished early.' } } },
        LOST: { actions: { type: 'noteEnding', params: ({ event }) => event } },
      },
    },
    waiting: {
      after: { untilNextLook: 'looking' },
      // One last look keeps what has just arrived.
      on: {
        END: { target: 'looking', actions: { type: 'noteEnding', params: { why: 'Finished early.' } } },
        LOST: { target: 'looking', actions: { type: 'noteEnding', params: ({ event }) => event } },
      },
    },
    looking: {
      invoke: {
        src: 'look',
        onDone: [
          { guard: 'endsEarly', target: 'closing' },
          {
            guard: { type: 'isOver', params: ({ event }) => event.output },
            target: 'closing',
            actions: { type: 'noteEnding', params: ({ event }) => ({ why: event.output.ending }) },
          },
          { target: 'waiting' },
        ],
      },
      on: {
        END: { actions: { type: 'noteEnding', params: { why: 'Finished early.' } } },
        LOST: { actions: { type: 'noteEnding', params: ({ event }) => event } },
      },
    },
    closing: { invoke: { src: 'close', onDone: 'done', onError: 'done' } },
    done: { type: 'final' },
  },
  output: ({ context }) => context.ending,
});
