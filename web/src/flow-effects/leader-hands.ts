import { create } from 'zustand';
import { useSession } from '../studio/session';
import { command, hub } from '../studio/workers';
import { stopHub, waitForHub } from './hub-motion';

/** The demo's keyboard plays by itself when asked. */
const STAND_IN = 'vole';

/** What the musician is asked to do on the device that leads; null is nothing. */
export const usePrompt = create<{ prompt: string | null }>(() => ({ prompt: null }));

/**
 * Has the leader start, and waits until the hub rolls with it: the hub and stand-ins by themselves, other gear by its
 * musician, without a time limit. @throws Error if cancelled.
 */
export async function leaderStarts(leaderId: string, signal: AbortSignal): Promise<void> {
  const rolls = () => {
    const { leader, state } = useSession.getState().snapshot;
    return leader === leaderId && state === 'rolling';
  };
  if (leaderId === 'hub') {
    command({ kind: 'play', pastEnd: true });
    await waitForHub('rolling', signal);
  } else if (isStandIn(leaderId)) {
    await hub.atStandIn({ kind: 'play' });
    await until(rolls, null, signal);
  } else await until(rolls, `Press play on ${nameOf(leaderId)}.`, signal);
}

/** Has the leader stop, and waits until the hub has stopped with it. @throws Error if cancelled. */
export async function leaderStops(leaderId: string, signal: AbortSignal): Promise<void> {
  const stands = () => useSession.getState().snapshot.state === 'stopped';
  if (leaderId === 'hub') await stopHub();
  else if (isStandIn(leaderId)) {
    await hub.atStandIn({ kind: 'stop' });
    await until(stands, null, signal);
  } else await until(stands, `Press stop on ${nameOf(leaderId)}.`, signal);
}

export function isStandIn(gearId: string): boolean {
  return gearId === STAND_IN && useSession.getState().rig?.demo === true;
}

function nameOf(gearId: string): string {
  return useSession.getState().rig?.gear.find(({ id }) => id === gearId)?.name ?? 'the leader';
}

/** Waits for the session, with a prompt if it is up to the musician. */
function until(reached: () => boolean, prompt: string | null, signal: AbortSignal): Promise<void> {
  return new Promise((resolve, reject) => {
    if (signal.aborted) return reject(new Error('Cancelled.'));
    if (reached()) return resolve();
    usePrompt.setState({ prompt });
    const end = (then: () => void) => {
      unsubscribe();
      signal.removeEventListener('abort', cancel);
      usePrompt.setState({ prompt: null });
      then();
    };
    const cancel = () => end(() => reject(new Error('Cancelled.')));
    const unsubscribe = useSession.subscribe(() => reached() && end(resolve));
    signal.addEventListener('abort', cancel);
  });
}
