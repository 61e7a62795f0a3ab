import { HUB_ID } from '@metronomo/core';
import { useState } from 'react';
import { useHotkeys } from 'react-hotkeys-hook';
import { useLocation, useNavigate } from 'react-router';
import { rigChanges } from '../history/rig-changes';
import { signed } from '../parts/words';
import { undoCorrection } from '../studio/corrections';
import { count } from '../words/numbers';
import { belongsToFocus, useSingleKeys } from '../parts/keys-in-use';
import { command } from '../studio/workers';
import { undoOrRedo } from '../studio/rig';
import { useSession } from '../studio/session';
import { locate } from '../studio/locate';
import { tap } from './tempo';
import { showToast } from '../toasts/toast-store';
import { VIEWS } from './views';

/** Keyboard shortcuts; inactive in text fields. */
export function useShortcuts() {
  const [open, setOpen] = useState(false);
  const navigate = useNavigate();
  const { pathname } = useLocation();
  const enabled = useSingleKeys(({ on }) => on);
  useHotkeys('space', () => playOrStop(), { preventDefault: true, ignoreEventWhen: ownedBy('space') });
  useHotkeys('t', () => tap(), { enabled });
  useHotkeys('home', () => locate(0), { preventDefault: true, ignoreEventWhen: ownedBy('home') });
  useHotkeys('1,2,3,4,5', ({ key }) => void navigate(VIEWS[Number(key) - 1]?.path ?? '/run'), { enabled });
  useHotkeys('m', () => void navigate('/bench', { state: { take: Date.now() } }), { enabled });
  useHotkeys('shift+slash, shift+?', () => setOpen(true), { useKey: true, enabled });
  useHotkeys('mod+z', () => void undo(pathname), { preventDefault: true });
  useHotkeys('mod+shift+z, mod+y', () => void step('redo'), { preventDefault: true });
  return { open, setOpen };
}

/** Whatever has focus comes first: a focused button, tab, row or node keeps its keys. */
function ownedBy(key: 'space' | 'home'): (event: KeyboardEvent) => boolean {
  return ({ target }) => belongsToFocus(key, target instanceof Element ? target : null);
}

export function playOrStop(): void {
  const { snapshot, rig } = useSession.getState();
  if (snapshot.state !== 'stopped') command({ kind: 'stop' });
  else if (snapshot.leader === HUB_ID) command({ kind: 'play', countIn: rig?.song.countsIn ?? false });
  else {
    const name = rig?.gear.find(({ id }) => id === snapshot.leader)?.name ?? 'Another device';
    showToast(`${name} is the leader. Press play on the device; the hub starts with it.`);
  }
}

/** On the Bench, corrections made by hand are undone before changes of the rig. */
async function undo(pathname: string): Promise<void> {
  const correction = pathname.startsWith('/bench') ? await undoCorrection() : null;
  if (correction !== null) showToast(`Undone: ${correction}.`);
  else await step('undo');
}

async function step(direction: 'undo' | 'redo'): Promise<void> {
  const { rig: before } = useSession.getState();
  if (!before || !(await undoOrRedo(direction))) {
    showToast(`Nothing to ${direction}.`);
    return;
  }
  const { rig: after } = useSession.getState();
  const { moves, lines } = rigChanges(before, after ?? before);
  const [what = '', ...more] = [
    ...moves.map(({ name, toMs }) => `offset of ${name} is ${signed(toMs)} ms again`),
    ...lines,
  ];
  const word = direction === 'undo' ? 'Undone' : 'Redone';
  const rest = more.length > 0 ? ` and ${count(more.length, 'more change')}` : '';
  showToast(what === '' ? `${word}.` : `${word}: ${what}${rest}.`);
}
