import { useHotkeys } from 'react-hotkeys-hook';
import { useLocation, useNavigate } from 'react-router';
import { rigChanges } from '../history/rig-changes';
import { signed } from '../parts/words';
import { undoNewest } from '../studio/undoable';
import { count } from '../words/numbers';
import { openHelp, pageFor } from '../parts/help';
import { belongsToFocus, useSingleKeys } from '../parts/keys-in-use';
import { undoOrRedo } from '../studio/rig';
import { useSession } from '../studio/session';
import { locate } from '../studio/locate';
import { playOrStop, tapDownbeat } from '../studio/transport';
import { tap } from '../studio/tempo';
import { showToast } from '../toasts/toast-store';
import { VIEWS } from './views';

/** Only what takes text keeps its letters, and its own undo: a slider or a choice has no use for them. */
const TEXT_ONLY = { enableOnFormTags: ['slider', 'radio', 'option', 'menuitem'] as const };

/** Keyboard shortcuts; inactive in text fields. */
export function useShortcuts(): void {
  const { pathname } = useLocation();
  const navigate = useNavigate();
  const enabled = useSingleKeys(({ on }) => on);
  useHotkeys('space', () => playOrStop(), { preventDefault: true, ignoreEventWhen: ownedBy('space') });
  useHotkeys('t', () => tap(), { enabled, ...TEXT_ONLY });
  useHotkeys('d', () => tapDownbeat(), { enabled, ...TEXT_ONLY });
  useHotkeys('home', () => locate(0), { preventDefault: true, ignoreEventWhen: ownedBy('home') });
  useHotkeys('1,2,3,4,5', ({ key }) => void navigate(VIEWS[Number(key) - 1]?.path ?? '/run'), {
    enabled,
    ...TEXT_ONLY,
  });
  useHotkeys('m', () => void navigate('/bench', { state: { take: Date.now() } }), { enabled, ...TEXT_ONLY });
  useHotkeys('shift+slash, shift+?', () => openHelp(pageFor(pathname)), { useKey: true, enabled, ...TEXT_ONLY });
  useHotkeys('mod+z', () => void undo(), { preventDefault: true, ...TEXT_ONLY });
  useHotkeys('mod+shift+z, mod+y', () => void step('redo'), { preventDefault: true, ...TEXT_ONLY });
}

/** Whatever has focus comes first: a focused button, tab, row or node keeps its keys. */
function ownedBy(key: 'space' | 'home'): (event: KeyboardEvent) => boolean {
  return ({ target }) => belongsToFocus(key, target instanceof Element ? target : null);
}

/** Undoes the newest change: a deletion, a correction, or one of the rig. */
async function undo(): Promise<void> {
  const words = await undoNewest();
  if (words === null) await step('undo');
  else showToast(`Undone: ${words}.`);
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
