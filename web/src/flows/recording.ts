import { assign, setup } from 'xstate';
import { action, effect, type FromOutside, type Recorded } from './flow';

/** A device's turn on an input that several share. */
export interface Turn {
  gearId: string;
  /** How long the turn before it lasts, ms; for the first one, until the recording begins. */
  afterMs: number;
}

interface Context {
  turns: readonly Turn[];
  turn: number;
  recorded: unknown;
}

/** Records audio over a stretch that the hub names; with turns, one device after the other. */
export const recording = setup({
  types: {} as { context: Context; events: FromOutside; output: Recorded },
  actors: {
    /** Asks the hub for the stretch and makes the take. */
    frame: effect<readonly Turn[]>(),
    record: effect(),
  },
  actions: {
    /** The recorder keeps what it has. */
    finish: action<{ why: string }>(),
    /** Only this device is heard. */
    soloTurn: action<{ gearId: string | null }>(),
    keepTurns: assign({ turns: (_, { output }: { output: readonly Turn[] }) => output }),
    nextTurn: assign({ turn: ({ context }) => context.turn + 1 }),
    keepRecorded: assign({ recorded: (_, { output }: { output: unknown }) => output }),
  },
  guards: { moreTurns: ({ context: { turn, turns } }) => turn + 1 < turns.length },
  delays: { untilNextTurn: ({ context: { turn, turns } }) => turns[turn + 1]?.afterMs ?? 0 },
}).createMachine({
  id: 'recording',
  context: { turns: [], turn: 0, recorded: null },
  initial: 'framing',
  states: {
    framing: {
      invoke: {
        src: 'frame',
        onDone: { target: 'recording', actions: { type: 'keepTurns', params: ({ event }) => event } },
      },
      on: { END: 'done', LOST: 'done' },
    },
    recording: {
      invoke: {
        src: 'record',
        onDone: { target: 'done', actions: { type: 'keepRecorded', params: ({ event }) => event } },
      },
      on: {
        END: { actions: { type: 'finish', params: { why: 'Take finished early.' } } },
        LOST: { actions: { type: 'finish', params: ({ event }) => event } },
      },
      initial: 'playing',
      states: {
        playing: {
          entry: {
            type: 'soloTurn',
            params: ({ context: { turn, turns } }) => ({ gearId: turns[turn]?.gearId ?? null }),
          },
          after: { untilNextTurn: { guard: 'moreTurns', target: 'playing', reenter: true, actions: 'nextTurn' } },
        },
      },
    },
    done: { type: 'final' },
  },
  output: ({ context }) => ({ recorded: context.recorded }),
});
