import { HUB_ID } from '@metronomo/core';
import { useState } from 'react';
import { useHotkeys } from 'react-hotkeys-hook';
import { useNavigate } from 'react-router';
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
  useHotkeys('space', () => playOrStop(), { preventDefault: true });
  useHotkeys('t', () => tap());
  useHotkeys('home', () => locate(0), { preventDefault: true });
  useHotkeys('1,2,3,4,5', ({ key }) => void navigate(VIEWS[Number(key) - 1]?.path ?? '/run'));
  useHotkeys('m', () => void navigate('/bench', { state: { take: Date.now() } }));
  useHotkeys('shift+slash, shift+?', () => setOpen(true), { useKey: true });
  useHotkeys('mod+z', () => void step('undo'), { preventDefault: true });
  useHotkeys('mod+shift+z, mod+y', () => void step('redo'), { preventDefault: true });
  return { open, setOpen };
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

async function step(direction: 'undo' | 'redo'): Promise<void> {
  const done = await undoOrRedo(direction);
  showToast(done ? (direction === 'undo' ? 'Undone.' : 'Redone.') : `Nothing to ${direction}.`);
}
