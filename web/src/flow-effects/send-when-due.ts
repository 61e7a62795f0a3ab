import { hub } from '../studio/workers';

const PUMP_EVERY_MS = 250;
/** Longer than the slowest page timer, so that a page in the background plays on in time. */
export const IN_BACKGROUND_MS = 2500;

export interface Due {
  portId: string;
  bytes: Uint8Array;
  atMs: number;
}

/**
 * Sends groups of messages, by ascending time of their first, no more than `aheadMs` before they are due, so that little
 * is under way when it is stopped. A group, such as a note with its end, is never torn apart. Returns how to stop it.
 */
export function sendWhenDue(groups: readonly Due[][], aheadMs: number): () => void {
  let next = 0;
  const pump = () => {
    const untilMs = performance.now() + aheadMs;
    const from = next;
    while ((groups[next]?.[0]?.atMs ?? Infinity) < untilMs) next++;
    if (next > from) void hub.sendTest(groups.slice(from, next).flat());
  };
  pump();
  const timer = setInterval(pump, PUMP_EVERY_MS);
  return () => clearInterval(timer);
}
