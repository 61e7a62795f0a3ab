import { create } from 'zustand';
import { collecting, type Look } from '../flows/collecting';
import { loadClockTake, markClockInterrupted, otherTicks } from '../store/clock-takes';
import { database } from '../store/database';
import type { ClockTake } from '../store/records';
import { useSession } from '../studio/session';
import { hub, measure } from '../studio/workers';
import { FlowDesk } from './flow-desk';
import { does, runFlow } from './run-flow';

const LOOK_EVERY_MS = 500;
const NO_TICKS = new Float64Array();

/** An input port and the device whose clock arrives there. */
export interface ClockSource {
  portId: string;
  name: string;
}

/** The output port and channel that test traffic is sent to. */
export interface TrafficLine {
  portId: string;
  channel: number;
}

export type ClockFlow =
  | { state: 'idle'; problem: string | null }
  | { state: 'recording'; seconds: number; wantedSeconds: number; ticks: number }
  | { state: 'measuring' };

/** The current clock measurement, if any. */
export const useClockFlow = create<{ flow: ClockFlow }>(() => ({ flow: { state: 'idle', problem: null } }));

const desk = new FlowDesk();

/** Finishes early with the ticks received so far. */
export function endClockTake(): void {
  desk.end();
}

type Besides = Pick<ClockTake, 'against' | 'traffic'>;

/** Records a clock's ticks as they arrive, then analyzes them. Null if there were none. */
export async function runClockTake(
  source: ClockSource,
  wantedSeconds: number,
  besides: Besides = {},
): Promise<ClockTake | null> {
  return (await takeClock(source, wantedSeconds, besides)).result;
}

async function takeClock(source: ClockSource, wantedSeconds: number, besides: Besides) {
  const { rig } = useSession.getState();
  if (!rig || desk.busy) return { result: null, ended: false };
  const take: ClockTake = {
    id: crypto.randomUUID(),
    rigId: rig.id,
    startedAt: Date.now(),
    status: 'recording',
    ...source,
    gearIds: rig.gear.flatMap(({ id, name }) => (name === source.name ? [id] : [])),
    ...besides,
    ticks: 0,
    result: null,
  };
  const kept = new TicksKept(take, wantedSeconds);
  const measured = await desk.run<string | null, ClockTake>(
    {
      needs: {
        ports: [{ portId: source.portId, sentence: () => `The input port of ${source.name} was disconnected.` }],
        input: false,
        motion: false,
      },
      prepare: () => undefined,
      start: () => undefined,
      capture: () => {
        const machine = collecting.provide({
          actors: { open: does(() => kept.open()), look: does(() => kept.look()), close: does(stopCapturing) },
        });
        return runFlow(machine, { input: { everyMs: LOOK_EVERY_MS } });
      },
      async analyze(ending) {
        if (kept.ticks === 0) {
          await database.clockTakes.delete(take.id);
          throw new Error(`No clock from ${source.name}. Press play on the device, and check that it sends clock.`);
        }
        await database.clockTakes.update(take.id, { status: 'done', ...(ending !== null && { ending }) });
        return measure.analyzeClock(take.id);
      },
      async recover(why) {
        if (kept.ticks === 0) return null;
        await markClockInterrupted(take.id, why ?? 'The measurement failed.');
        await measure.analyzeClock(take.id);
        return loadClockTake(take.id);
      },
      restore: stopCapturing,
    },
    (state) => {
      if (state === 'analyzing' || state === 'recovering') useClockFlow.setState({ flow: { state: 'measuring' } });
    },
  );
  useClockFlow.setState({ flow: { state: 'idle', problem: measured?.problem ?? null } });
  return measured ?? { result: null, ended: false };
}

async function stopCapturing(): Promise<void> {
  await hub.captureTicks([]);
}

/** Ticks as they arrive. */
class TicksKept {
  ticks = 0;
  readonly #take: ClockTake;
  readonly #wantedSeconds: number;
  #looks = 0;
  #beganMs = 0;

  constructor(take: ClockTake, wantedSeconds: number) {
    this.#take = take;
    this.#wantedSeconds = wantedSeconds;
  }

  async open(): Promise<void> {
    const { portId, against } = this.#take;
    await database.clockTakes.add(this.#take);
    await hub.captureTicks(against ? [portId, against.portId] : [portId]);
    this.#beganMs = performance.now();
  }

  async look(): Promise<Look> {
    const taken = await hub.takeTicks();
    if (taken === null) return { done: true, ending: 'The port is flooded with more messages than any clock sends.' };
    const [times = NO_TICKS, others = NO_TICKS] = taken;
    const { id } = this.#take;
    const index = this.#looks++;
    if (times.length > 0) await database.ticks.add({ takeId: id, index, times });
    if (others.length > 0) await database.ticks.add({ takeId: otherTicks(id), index, times: others });
    this.ticks += times.length;
    const seconds = (performance.now() - this.#beganMs) / 1000;
    const { ticks } = this;
    useClockFlow.setState({ flow: { state: 'recording', seconds, wantedSeconds: this.#wantedSeconds, ticks } });
    return { done: seconds >= this.#wantedSeconds };
  }
}

/**
 * Measures a clock without traffic, then again with notes, controllers and dumps on `line`. Returns the second take,
 * which refers to the first.
 */
export async function runTrafficTakes(
  source: ClockSource,
  wantedSeconds: number,
  line: TrafficLine,
): Promise<ClockTake | null> {
  const { result: quiet, ended } = await takeClock(source, wantedSeconds, {});
  if (!quiet || quiet.status !== 'done' || ended) return quiet;
  await hub.sendTraffic(line);
  try {
    return await runClockTake(source, wantedSeconds, { traffic: { portId: line.portId, quietId: quiet.id } });
  } finally {
    await hub.sendTraffic(null);
  }
}
