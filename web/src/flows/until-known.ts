import { assign, setup } from 'xstate';
import { effect, type FromOutside } from './flow';

/** Beyond this length, narrowing the interval isn't worth the wait. */
const MAX_BARS = 64;
const MAX_TAKES = 3;

/** A take, as far as this flow has to know it. */
export interface Known {
  take: unknown;
  /** It went through to the end. */
  whole: boolean;
  /** The device measured least precisely, and half the width of its 95% interval. */
  widest: { name: string; halfMs: number };
}

interface Context {
  bars: number;
  withinMs: number;
  takes: number;
  last: Known | null;
}

/** The last take, and who isn't known well enough after it. */
export interface KnownEnough {
  take: unknown;
  short: { name: string; halfMs: number; wantedBars: number } | null;
}

/** Takes again, longer each time, until every median is known within an interval. */
export const untilKnown = setup({
  types: {} as {
    context: Context;
    events: FromOutside;
    input: Pick<Context, 'bars' | 'withinMs'>;
    output: KnownEnough;
  },
  actors: { take: effect<Known, { bars: number }>() },
  actions: {
    passOnEnd: () => undefined,
    keep: assign({
      last: (_, { output }: { output: Known }) => output,
      takes: ({ context }) => context.takes + 1,
    }),
    takeLonger: assign({ bars: ({ context }, { output }: { output: Known }) => wantedBars(context, output) }),
  },
  guards: {
    isEnough: ({ context }, { whole, widest }: Known) => !whole || !(widest.halfMs > context.withinMs),
    isTooLong: ({ context }, known: Known) => wantedBars(context, known) > MAX_BARS || context.takes + 1 >= MAX_TAKES,
  },
}).createMachine({
  id: 'untilKnown',
  context: ({ input }) => ({ ...input, takes: 0, last: null }),
  initial: 'taking',
  states: {
    taking: {
      invoke: {
        src: 'take',
        input: ({ context }) => ({ bars: context.bars }),
        onDone: [
          {
            guard: { type: 'isEnough', params: ({ event }) => event.output },
            target: 'done',
            actions: { type: 'keep', params: ({ event }) => event },
          },
          {
            guard: { type: 'isTooLong', params: ({ event }) => event.output },
            target: 'done',
            actions: { type: 'keep', params: ({ event }) => event },
          },
          {
            target: 'taking',
            reenter: true,
            actions: [
              { type: 'takeLonger', params: ({ event }) => event },
              { type: 'keep', params: ({ event }) => event },
            ],
          },
        ],
      },
      on: { END: { actions: 'passOnEnd' } },
    },
    done: { type: 'final' },
  },
  output: ({ context }) => {
    const { last, withinMs } = context;
    const short = last?.whole && last.widest.halfMs > withinMs ? last.widest : null;
    return { take: last?.take ?? null, short: short && last && { ...short, wantedBars: wantedBars(context, last) } };
  },
});

/** An interval narrows with the square root of the number of beats. */
function wantedBars({ bars, withinMs }: Pick<Context, 'bars' | 'withinMs'>, { widest }: Known): number {
  return Math.ceil(bars * (widest.halfMs / withinMs) ** 2 * 1.2);
}
