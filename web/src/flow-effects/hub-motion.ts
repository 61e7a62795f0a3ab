import type { HubSnapshot } from '@metronomo/core';
import { useSession } from '../studio/session';
import { command } from '../studio/workers';

/** Longest wait for the hub to start or stop. */
const LONGEST_WAIT_MS = 10_000;

/** @throws Error with a message for the musician if the hub doesn't reach the state in time, or if aborted. */
export function waitForHub(state: HubSnapshot['state'], signal?: AbortSignal): Promise<void> {
  return new Promise((resolve, reject) => {
    const reached = () => useSession.getState().snapshot.state === state;
    if (reached()) return resolve();
    const unsubscribe = useSession.subscribe(() => reached() && end(resolve));
    const giveUp = setTimeout(
      () =>
        end(() =>
          reject(
            new Error(
              `The hub still isn’t ${state === 'stopped' ? 'stopped' : 'playing'}. The computer may be overloaded. Close other apps, then repeat the take.`,
            ),
          ),
        ),
      LONGEST_WAIT_MS,
    );
    const end = (then: () => void) => {
      clearTimeout(giveUp);
      unsubscribe();
      then();
    };
    signal?.addEventListener('abort', () => end(() => reject(new Error('Cancelled.'))));
  });
}

/**
 * Plays, unless the hub rolls already, and waits until it does. Only the hub knows whether it does: a stop may have been
 * pressed just now.
 */
export async function playHub(signal?: AbortSignal): Promise<void> {
  command({ kind: 'play', pastEnd: true });
  await waitForHub('rolling', signal);
}

/** Stops the hub and waits until it has stopped. */
export async function stopHub(): Promise<void> {
  command({ kind: 'stop' });
  await waitForHub('stopped');
}

export const isRolling = (): boolean => useSession.getState().snapshot.state === 'rolling';

/**
 * @throws Error with a message for the musician if another device leads, because then the hub doesn't control start and
 * tempo.
 */
export function hubMustLead(): void {
  if (useSession.getState().snapshot.leader !== 'hub')
    throw new Error(
      'The hub must lead for this test, because it starts playback and changes the tempo. Make the hub the leader in Rig.',
    );
}
