import { create } from 'zustand';
import { onPortChange } from '../hub/midi-ports';
import { hub, measure, useSession } from '../hub/session';
import { otherTicks } from '../store/clock-takes';
import { database } from '../store/database';
import type { ClockTake } from '../store/records';

const LOOK_EVERY_MS = 500;
const NO_TICKS = new Float64Array();

/** An input port and the device whose clock arrives there. */
export interface ClockSource {
  portId: string;
  name: string;
}

export type ClockFlow =
  | { state: 'idle'; problem: string | null }
  | { state: 'recording'; seconds: number; wantedSeconds: number; ticks: number }
  | { state: 'measuring' };

/** The current clock measurement, if any. */
export const useClockFlow = create<{ flow: ClockFlow }>(() => ({ flow: { state: 'idle', problem: null } }));

let ending: string | null = null;

/** Finishes early with the ticks received so far. */
export function endClockTake(why = 'Finished early.'): void {
  ending = why;
}

/** Records a clock's ticks as they arrive, then analyzes them. Null if there were none. */
export async function runClockTake(
  source: ClockSource,
  wantedSeconds: number,
  besides: Pick<ClockTake, 'against' | 'traffic'> = {},
): Promise<ClockTake | null> {
  const { rig } = useSession.getState();
  if (!rig || useClockFlow.getState().flow.state !== 'idle') return null;
  ending = null;
  const unwatch = onPortChange(({ id, connected }) => {
    if (id === source.portId && !connected) endClockTake(`The input port of ${source.name} was disconnected.`);
  });
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
  try {
    await database.clockTakes.add(take);
    const ticks = await waitForTicks(take, wantedSeconds);
    if (ticks === 0) {
      await database.clockTakes.delete(take.id);
      useClockFlow.setState({
        flow: {
          state: 'idle',
          problem: `No clock from ${source.name}. Press play on the device, and check that it sends clock.`,
        },
      });
      return null;
    }
    useClockFlow.setState({ flow: { state: 'measuring' } });
    await database.clockTakes.update(take.id, { status: 'done', ...(ending !== null && { ending }) });
    const measured = await measure.analyzeClock(take.id);
    useClockFlow.setState({ flow: { state: 'idle', problem: null } });
    return measured;
  } catch (error) {
    const message = error instanceof Error ? error.message : 'The clock couldn’t be measured. Try again.';
    useClockFlow.setState({ flow: { state: 'idle', problem: message } });
    return null;
  } finally {
    unwatch();
    await hub.captureTicks([]);
  }
}

async function waitForTicks(take: ClockTake, wantedSeconds: number): Promise<number> {
  const { against } = take;
  await hub.captureTicks(against ? [take.portId, against.portId] : [take.portId]);
  const beganMs = performance.now();
  let count = 0;
  for (let index = 0; ending === null; index++) {
    await new Promise((resolve) => setTimeout(resolve, LOOK_EVERY_MS));
    const taken = await hub.takeTicks();
    if (taken === null) {
      endClockTake('The port is flooded with more messages than any clock sends.');
      break;
    }
    const [times = NO_TICKS, others = NO_TICKS] = taken;
    if (times.length > 0) await database.ticks.add({ takeId: take.id, index, times });
    if (others.length > 0) await database.ticks.add({ takeId: otherTicks(take.id), index, times: others });
    count += times.length;
    const seconds = (performance.now() - beganMs) / 1000;
    useClockFlow.setState({ flow: { state: 'recording', seconds, wantedSeconds, ticks: count } });
    if (seconds >= wantedSeconds) break;
  }
  return count;
}

/**
 * Measures a clock without traffic, then again with notes, controllers and dumps on `line`. Returns the second take,
 * which refers to the first.
 */
export async function runTrafficTakes(
  source: ClockSource,
  wantedSeconds: number,
  line: { portId: string; channel: number },
): Promise<ClockTake | null> {
  const quiet = await runClockTake(source, wantedSeconds);
  if (!quiet || ending !== null) return quiet;
  await hub.sendTraffic(line);
  try {
    return await runClockTake(source, wantedSeconds, { traffic: { portId: line.portId, quietId: quiet.id } });
  } finally {
    await hub.sendTraffic(null);
  }
}
