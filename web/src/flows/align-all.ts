import { assign, setup } from 'xstate';
import { effect, type FromOutside } from './flow';

const MAX_PASSES = 3;
/** A pass helps only if it brings the worst follower below this share of its previous error. */
const HELPED = 0.9;

/** What the takes so far ask for. */
export interface Plan {
  /** How many followers are to be moved, and by how much the worst of them at most, ms. */
  moves: number;
  worstMs: number;
  /** Takes contradict each other: one more decides. */
  undecided: boolean;
  /** Why nothing can be planned. */
  problem: string | null;
}

/** Why it stopped. */
export type AlignEnd = { kind: 'aligned' | 'limit' | 'noHelp' | 'endedEarly' } | { kind: 'failed'; problem: string };

interface Context {
  pass: number;
  /** The largest move of the pass before, ms. */
  worstMs: number;
  end: AlignEnd;
}

/**
 * Measures everyone, applies the offsets that follow and confirms them, again and again until all are in time or it
 * stops helping.
 */
export const alignAll = setup({
  types: {} as { context: Context; events: FromOutside; output: Pick<Context, 'pass' | 'end'> },
  actors: {
    start: effect(),
    /** One take of the followers driven by clock, one of those driven by notes. False if it didn't go through. */
    measure: effect<boolean, { proof: boolean }>(),
    plan: effect<Plan>(),
    apply: effect(),
    stop: effect(),
  },
  actions: {
    passOnEnd: () => undefined,
    noteEnd: assign({ end: (_, end: AlignEnd) => end }),
    noteWorst: assign({ worstMs: (_, { worstMs }: Plan) => worstMs }),
    nextPass: assign({ pass: ({ context }) => context.pass + 1 }),
  },
  guards: {
    wentThrough: (_, { output }: { output: boolean }) => output,
    failed: (_, { problem }: Plan) => problem !== null,
    isAligned: (_, { moves, undecided }: Plan) => moves === 0 && !undecided,
    isAtLimit: ({ context }) => context.pass > MAX_PASSES,
    needsAnother: (_, { moves }: Plan) => moves === 0,
    helpsNoMore: ({ context }, { worstMs, undecided }: Plan) => worstMs > HELPED * context.worstMs && !undecided,
  },
}).createMachine({
  id: 'alignAll',
  context: { pass: 1, worstMs: Infinity, end: { kind: 'endedEarly' } },
  initial: 'starting',
  states: {
    starting: {
      invoke: { src: 'start', onDone: 'measuring', onError: failing('stopping') },
      on: { END: 'stopping' },
    },
    measuring: {
      invoke: {
        src: 'measure',
        input: ({ context }) => ({ proof: context.pass > 1 }),
        onDone: [
          { guard: { type: 'wentThrough', params: ({ event }) => event }, target: 'planning' },
          { target: 'stopping' },
        ],
        onError: failing('stopping'),
      },
      on: { END: { actions: 'passOnEnd' } },
    },
    planning: {
      invoke: {
        src: 'plan',
        onDone: [
          {
            guard: { type: 'failed', params: ({ event }) => event.output },
            target: 'stopping',
            actions: {
              type: 'noteEnd',
              params: ({ event }) => ({ kind: 'failed', problem: event.output.problem ?? '' }) as const,
            },
          },
          {
            guard: { type: 'isAligned', params: ({ event }) => event.output },
            target: 'stopping',
            actions: { type: 'noteEnd', params: { kind: 'aligned' } },
          },
          { guard: 'isAtLimit', target: 'stopping', actions: { type: 'noteEnd', params: { kind: 'limit' } } },
          {
            guard: { type: 'needsAnother', params: ({ event }) => event.output },
            target: 'measuring',
            actions: 'nextPass',
          },
          {
            guard: { type: 'helpsNoMore', params: ({ event }) => event.output },
            target: 'stopping',
            actions: { type: 'noteEnd', params: { kind: 'noHelp' } },
          },
          { target: 'applying', actions: { type: 'noteWorst', params: ({ event }) => event.output } },
        ],
        onError: failing('stopping'),
      },
      on: { END: 'stopping' },
    },
    applying: {
      invoke: { src: 'apply', onDone: { target: 'measuring', actions: 'nextPass' }, onError: failing('stopping') },
      on: { END: 'stopping' },
    },
    stopping: { invoke: { src: 'stop', onDone: 'done', onError: 'done' } },
    done: { type: 'final' },
  },
  output: ({ context: { pass, end } }) => ({ pass, end }),
});

function failing<Target extends string>(target: Target) {
  return {
    target,
    actions: {
      type: 'noteEnd',
      params: ({ event }: { event: { error: unknown } }) => ({
        kind: 'failed' as const,
        problem: event.error instanceof Error ? event.error.message : 'Align couldn’t continue. Try again.',
      }),
    },
  } as const;
}
