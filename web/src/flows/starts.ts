import { assign, setup } from 'xstate';
import { action, effect, type FromOutside, type Recorded } from './flow';

interface Context {
  starts: number;
  runMs: number;
  pauseMs: number;
  begun: number;
  recorded: unknown;
}

/** Starts the song from the top again and again while audio is recorded, to see where a follower lands. */
export const starts = setup({
  types: {} as {
    context: Context;
    events: FromOutside;
    input: Pick<Context, 'starts' | 'runMs' | 'pauseMs'>;
    output: Recorded;
  },
  actors: {
    record: effect(),
    /** Goes to the top, plays, and notes when the song began. */
    startFromTop: effect(),
    stop: effect(),
  },
  actions: {
    finish: action<{ why: string }>(),
    /** Everything needed was played. */
    complete: () => undefined,
    countStart: assign({ begun: ({ context }) => context.begun + 1 }),
    keepRecorded: assign({ recorded: (_, { output }: { output: unknown }) => output }),
  },
  guards: { moreStarts: ({ context: { begun, starts } }) => begun < starts },
  delays: { run: ({ context }) => context.runMs, pause: ({ context }) => context.pauseMs },
}).createMachine({
  id: 'starts',
  context: ({ input }) => ({ ...input, begun: 0, recorded: null }),
  initial: 'recording',
  states: {
    recording: {
      invoke: {
        src: 'record',
        onDone: { target: 'done', actions: { type: 'keepRecorded', params: ({ event }) => event } },
      },
      on: {
        END: { actions: { type: 'finish', params: { why: 'Take finished early.' } } },
        LOST: { actions: { type: 'finish', params: ({ event }) => event } },
      },
      initial: 'starting',
      states: {
        starting: { invoke: { src: 'startFromTop', onDone: { target: 'playing', actions: 'countStart' } } },
        playing: { after: { run: 'stopping' } },
        stopping: {
          invoke: { src: 'stop', onDone: [{ guard: 'moreStarts', target: 'pausing' }, { target: 'completing' }] },
        },
        pausing: { after: { pause: 'starting' } },
        completing: { entry: 'complete' },
      },
    },
    done: { type: 'final' },
  },
  output: ({ context }) => ({ recorded: context.recorded }),
});
