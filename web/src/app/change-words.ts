import type { FollowState } from '@metronomo/core';
import { signed } from '../parts/words';
import { count } from '../words/numbers';

/** What is announced when it changes. */
export interface Standing {
  playing: boolean;
  followers: readonly { name: string; state: FollowState }[];
}

/** Who was lost or is back, and whether all are locked; null if nothing of that changed. */
export function lockWords(before: Standing, now: Standing): string | null {
  if (!now.playing) return null;
  const was = (name: string) => before.followers.find((one) => one.name === name)?.state;
  const named = (to: FollowState, from: FollowState) =>
    now.followers.filter(({ name, state }) => state === to && was(name) === from).map(({ name }) => name);
  const lost = named('lost', 'locked');
  const back = named('locked', 'lost');
  const said = [lost.length > 0 && `${lost.join(', ')} lost.`, back.length > 0 && `${back.join(', ')} locked again.`];
  if (allLocked(now) && !allLocked(before)) said.push(`All ${count(now.followers.length, 'follower')} locked.`);
  return said.filter(Boolean).join(' ') || null;
}

interface Offset {
  name: string;
  offsetMs: number;
}

/** The offset of one device, or how many changed; null if none did. */
export function offsetWords(before: readonly Offset[], now: readonly Offset[]): string | null {
  const changed = now.filter(({ name, offsetMs }) => {
    const old = before.find((one) => one.name === name);
    return old !== undefined && old.offsetMs !== offsetMs;
  });
  const [first] = changed;
  if (!first) return null;
  return changed.length > 1
    ? `${count(changed.length, 'offset')} changed.`
    : `${first.name}: offset ${signed(first.offsetMs)} ms.`;
}

function allLocked({ playing, followers }: Standing): boolean {
  return playing && followers.length > 0 && followers.every(({ state }) => state === 'locked');
}
