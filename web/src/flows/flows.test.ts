import fc from 'fast-check';
import {
  createActor,
  fromPromise,
  getInitialSnapshot,
  getNextSnapshot,
  SimulatedClock,
  type AnyStateMachine,
} from 'xstate';
import { does } from '../flow-effects/run-flow';
import { alignAll } from './align-all';
import { collecting } from './collecting';
import { measurement } from './measurement';
import { recording, type Turn } from './recording';
import { starts } from './starts';
import { untilKnown, type Known } from './until-known';

/** What each effect answers when all goes well. */
const ANSWERS: Record<string, unknown> = {
  frame: [
    { gearId: 'a', afterMs: 0 },
    { gearId: 'b', afterMs: 900 },
  ],
  record: 'sound',
  look: { done: false },
  capture: 'sound',
  analyze: 'take',
  recover: 'rescued take',
  take: { take: 'take', whole: true, widest: { name: 'Box', halfMs: 0.6 } },
  measure: true,
  plan: { moves: 2, worstMs: 5, undecided: false, problem: null },
};

const MACHINES: [string, AnyStateMachine, object][] = [
  ['measurement', measurement, {}],
  ['recording', recording, {}],
  ['starts', starts, { starts: 3, runMs: 2000, pauseMs: 1200 }],
  ['collecting', collecting, { everyMs: 500 }],
  ['untilKnown', untilKnown, { bars: 8, withinMs: 0.5 }],
  ['alignAll', alignAll, {}],
];

type Step =
  { kind: 'answers' | 'fails'; which: number } | { kind: 'END' } | { kind: 'LOST' } | { kind: 'time'; ms: number };

const step: fc.Arbitrary<Step> = fc.oneof(
  { weight: 4, arbitrary: fc.nat(3).map((which): Step => ({ kind: 'answers', which })) },
  { weight: 1, arbitrary: fc.nat(3).map((which): Step => ({ kind: 'fails', which })) },
  { weight: 1, arbitrary: fc.constantFrom<Step>({ kind: 'END' }, { kind: 'LOST' }) },
  { weight: 3, arbitrary: fc.integer({ min: 1, max: 2500 }).map((ms): Step => ({ kind: 'time', ms })) },
);

interface Pending {
  src: string;
  resolve(value: unknown): void;
  reject(error: Error): void;
}

/** A machine whose effects wait until the test answers them, in virtual time. */
function under(machine: AnyStateMachine, input: object) {
  const clock = new SimulatedClock();
  const pending: Pending[] = [];
  const begun: string[] = [];
  const acts: { type: string; why?: string }[] = [];
  const actors = Object.fromEntries(
    Object.keys(machine.implementations.actors).map((src) => [
      src,
      fromPromise(({ signal }) => {
        begun.push(src);
        return new Promise((resolve, reject) => {
          const one = { src, resolve, reject };
          pending.push(one);
          signal.addEventListener('abort', () => pending.splice(pending.indexOf(one), 1));
        });
      }),
    ]),
  );
  const watched = ['finish', 'complete', 'passOnEnd', 'passOnLoss'].filter(
    (type) => type in machine.implementations.actions,
  );
  const actions = Object.fromEntries(
    watched.map((type) => [type, (_: unknown, params?: { why: string }) => void acts.push({ ...params, type })]),
  );
  const actor = createActor(machine.provide({ actors, actions }), { clock, input });
  const errors: unknown[] = [];
  actor.subscribe({ error: (error) => errors.push(error) });
  actor.start();
  const settle = () => new Promise((resolve) => setImmediate(resolve));
  const answer = async (which: number, error?: Error) => {
    const one = pending.splice(which % Math.max(1, pending.length), 1)[0];
    if (error) one?.reject(error);
    else one?.resolve(ANSWERS[one.src]);
    await settle();
  };
  const does = async (one: Step) => {
    if (one.kind === 'answers') await answer(one.which);
    else if (one.kind === 'fails') await answer(one.which, new Error('The disk is full.'));
    else if (one.kind === 'time') clock.increment(one.ms);
    else actor.send(one.kind === 'END' ? { type: 'END' } : { type: 'LOST', why: 'The input was lost.' });
    await settle();
  };
  const isOver = () => actor.getSnapshot().status !== 'active';
  return { actor, pending, begun, acts, errors, answer, does, isOver, clock, settle };
}

test.each(MACHINES)('%s ends whatever fails, is lost or is ended early, at any moment', async (_, machine, input) => {
  await fc.assert(
    fc.asyncProperty(fc.array(step, { maxLength: 30 }), async (steps) => {
      const flow = under(machine, input);
      for (const one of steps) if (!flow.isOver()) await flow.does(one);
      // Nobody presses anything any more, and everything answers: it has to come to its end by itself.
      for (let i = 0; i < 60 && !flow.isOver(); i++) {
        if (i === 40) flow.actor.send({ type: 'END' });
        // The recorder is the last to answer, once it was asked to finish.
        const finished = flow.acts.some(({ type }) => type === 'finish' || type === 'complete');
        const next = flow.pending.findIndex(({ src }) => src !== 'record' || finished || flow.pending.length === 1);
        if (next >= 0) await flow.answer(next);
        flow.clock.increment(1000);
        await flow.settle();
      }
      expect(flow.isOver()).toBe(true);
      expect(flow.pending).toEqual([]);
    }),
    { numRuns: 200, seed: 19 },
  );
});

test('a measurement puts the studio back exactly once, and tells what became of it', async () => {
  await fc.assert(
    fc.asyncProperty(fc.array(step, { maxLength: 20 }), async (steps) => {
      const flow = under(measurement, {});
      for (const one of steps) if (!flow.isOver()) await flow.does(one);
      while (!flow.isOver()) await flow.answer(0);
      expect(flow.begun.filter((src) => src === 'restore')).toHaveLength(1);
      expect(flow.begun.at(-1)).toBe('restore');
      const { result, problem, ended } = flow.actor.getSnapshot().output as {
        result: unknown;
        problem: string | null;
        ended: boolean;
      };
      // Nothing is lost: what was captured is kept, or there is a reason.
      if (result === null) expect(problem !== null || ended).toBe(true);
      if (flow.begun.includes('recover')) expect(problem).not.toBeNull();
    }),
    { numRuns: 200, seed: 19 },
  );
});

test('ended while it starts, a measurement captures nothing and puts the studio back', async () => {
  for (const waits of [0, 1]) {
    const flow = under(measurement, {});
    for (let i = 0; i < waits; i++) await flow.answer(0);
    await flow.does({ kind: 'END' });
    expect(flow.pending.map(({ src }) => src)).toEqual(['restore']);
    await flow.answer(0);
    expect(flow.begun).not.toContain('capture');
    expect(flow.actor.getSnapshot().output).toEqual({ result: null, problem: null, ended: true });
  }
});

test('ended or lost while it captures, a measurement asks for what there is and analyzes it', async () => {
  const flow = under(measurement, {});
  await flow.answer(0);
  await flow.answer(0);
  await flow.does({ kind: 'LOST' });
  expect(flow.acts).toEqual([{ type: 'passOnLoss', why: 'The input was lost.' }]);
  for (let i = 0; i < 3; i++) await flow.answer(0);
  expect(flow.begun).toEqual(['prepare', 'start', 'capture', 'analyze', 'restore']);
  expect(flow.actor.getSnapshot().output).toEqual({ result: 'take', problem: null, ended: false });
});

test('on a shared input each device has its turn as soon as the one before was recorded', async () => {
  const soloed: (string | null)[] = [];
  const clock = new SimulatedClock();
  const turns = ['a', 'b', 'c'].map((gearId, i) => ({ gearId, afterMs: i * 1000 }));
  const machine = recording.provide({
    actors: {
      frame: does<readonly Turn[]>(() => turns),
      record: fromPromise(() => new Promise(() => undefined)),
    },
    actions: { soloTurn: (_, { gearId }) => soloed.push(gearId) },
  });
  createActor(machine, { clock }).start();
  await new Promise((resolve) => setImmediate(resolve));
  expect(soloed).toEqual(['a']);
  clock.increment(999);
  expect(soloed).toEqual(['a']);
  clock.increment(1);
  expect(soloed).toEqual(['a', 'b']);
  clock.increment(2000);
  expect(soloed).toEqual(['a', 'b', 'c']);
  clock.increment(60_000);
  expect(soloed).toEqual(['a', 'b', 'c']);
});

test('repeated starts: as many as wanted, then the recorder completes', async () => {
  const flow = under(starts, { starts: 3, runMs: 2000, pauseMs: 1200 });
  for (let i = 0; i < 3; i++) {
    await flow.answer(flow.pending.findIndex(({ src }) => src === 'startFromTop'));
    await flow.does({ kind: 'time', ms: 2000 });
    await flow.answer(flow.pending.findIndex(({ src }) => src === 'stop'));
    await flow.does({ kind: 'time', ms: 1200 });
  }
  expect(flow.begun.filter((src) => src === 'startFromTop')).toHaveLength(3);
  expect(flow.acts.map(({ type }) => type)).toEqual(['complete']);
  await flow.answer(0);
  expect(flow.actor.getSnapshot().output).toEqual({ recorded: 'sound' });
});

test('what has just arrived is kept by a last look, and the reason comes out', async () => {
  const flow = under(collecting, { everyMs: 500 });
  await flow.answer(0);
  await flow.does({ kind: 'LOST' });
  expect(flow.pending.map(({ src }) => src)).toEqual(['look']);
  await flow.answer(0);
  await flow.answer(0);
  expect(flow.actor.getSnapshot().output).toBe('The input was lost.');
});

test('takes get longer until all are known well enough, but not for ever', async () => {
  // Half an interval of 0.6 ms from 8 bars; 0.5 ms takes (0.6 / 0.5)² × 1.2 as long.
  const bars: number[] = [];
  const machine = untilKnown.provide({
    actors: {
      take: fromPromise<Known, { bars: number }>(({ input }) => {
        bars.push(input.bars);
        return Promise.resolve(known);
      }),
    },
  });
  const known = { take: 'take', whole: true, widest: { name: 'Box', halfMs: 0.6 } };
  const actor = createActor(machine, { input: { bars: 8, withinMs: 0.5 } }).start();
  for (let i = 0; i < 5; i++) await new Promise((resolve) => setImmediate(resolve));
  expect(bars).toEqual([8, 14, 25]);
  expect(actor.getSnapshot().output).toMatchObject({ short: { name: 'Box', halfMs: 0.6, wantedBars: 44 } });
});

test('Align stops when a pass doesn’t help, and says which pass', async () => {
  const flow = under(alignAll, {});
  await flow.answer(0);
  // Measured, planned, applied; then the same error again.
  for (let i = 0; i < 5; i++) await flow.answer(0);
  expect(flow.begun).toEqual(['start', 'measure', 'plan', 'apply', 'measure', 'plan', 'stop']);
  await flow.answer(0);
  expect(flow.actor.getSnapshot().output).toEqual({ pass: 2, end: { kind: 'noHelp' } });
});

/** The answers that the effects under way may give. */
function answersTo({ children }: ReturnType<typeof getInitialSnapshot>) {
  return Object.entries(children as Record<string, { src: string }>).flatMap(([id, { src }]) => [
    { type: `xstate.done.actor.${id}`, output: ANSWERS[src] },
    { type: `xstate.error.actor.${id}`, error: new Error('no') },
  ]);
}

test.each(MACHINES)('%s takes every event in every state without a fault', (_, machine, input) => {
  const seen = new Map<string, unknown>();
  const open: ReturnType<typeof getInitialSnapshot>[] = [getInitialSnapshot(machine, input)];
  const events = [{ type: 'END' }, { type: 'LOST', why: 'The input was lost.' }];
  for (let snapshot = open.pop(); snapshot; snapshot = open.pop()) {
    const key = JSON.stringify([snapshot.value, snapshot.context]);
    if (seen.has(key) || seen.size > 500) continue;
    seen.set(key, snapshot);
    for (const event of [...events, ...answersTo(snapshot)])
      expect(() => open.push(getNextSnapshot(machine, snapshot as never, event as never))).not.toThrow();
  }
  expect(seen.size).toBeGreaterThan(2);
});
