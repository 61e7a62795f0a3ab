import { create } from 'zustand';
import { onPortChange } from '../hub/midi-ports';
import { hub, measure, useSession } from '../hub/session';
import { database } from '../store/database';
import type { ClockTake } from '../store/records';

const LOOK_EVERY_MS = 500;

export type ClockFlow =
  | { state: 'idle'; problem: string | null }
  | { state: 'recording'; seconds: number; wantedSeconds: number; ticks: number }
  | { state: 'measuring' };

/** The measuring of a clock under way, if any. */
export const useClockFlow = create<{ flow: ClockFlow }>(() => ({ flow: { state: 'idle', problem: null } }));

let ending: string | null = null;

/** Ends it with what it has. */
export function endClockTake(why = 'It was ended early.'): void {
  ending = why;
}

/** Listens to a clock for so long, writes its ticks as they come, and measures. Null when nothing came. */
export async function runClockTake(
  source: { portId: string; name: string },
  wantedSeconds: number,
): Promise<ClockTake | null> {
  const { rig } = useSession.getState();
  if (!rig || useClockFlow.getState().flow.state !== 'idle') return null;
  ending = null;
  const unwatch = onPortChange(({ id, connected }) => {
    if (id === source.portId && !connected) endClockTake(`The port of ${source.name} went away.`);
  });
  const take: ClockTake = {
    id: crypto.randomUUID(),
    rigId: rig.id,
    startedAt: Date.now(),
    status: 'recording',
    ...source,
    ticks: 0,
    result: null,
  };
  try {
    await database.clockTakes.add(take);
    const ticks = await listen(take, wantedSeconds);
    if (ticks === 0) {
      await database.clockTakes.delete(take.id);
      useClockFlow.setState({
        flow: {
          state: 'idle',
          problem: `No clock arrives from ${source.name}. Press play on it, and check its clock out.`,
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
    const message = error instanceof Error ? error.message : 'The clock could not be measured.';
    useClockFlow.setState({ flow: { state: 'idle', problem: message } });
    return null;
  } finally {
    unwatch();
    await hub.captureTicks(null);
  }
}

async function listen(take: ClockTake, wantedSeconds: number): Promise<number> {
  await hub.captureTicks(take.portId);
  const beganMs = performance.now();
  let count = 0;
  for (let index = 0; ending === null; index++) {
    await new Promise((resolve) => setTimeout(resolve, LOOK_EVERY_MS));
    const times = await hub.takeTicks();
    if (times === null) {
      endClockTake('More came than any clock sends: the port is flooded. What came before is kept.');
      break;
    }
    if (times.length > 0) await database.ticks.add({ takeId: take.id, index, times });
    count += times.length;
    const seconds = (performance.now() - beganMs) / 1000;
    useClockFlow.setState({ flow: { state: 'recording', seconds, wantedSeconds, ticks: count } });
    if (seconds >= wantedSeconds) break;
  }
  return count;
}
