import { useToasts } from '../toasts/toast-store';
import { useSession } from './session';
import { remember, reportDeleted, undoNewest } from './undoable';

beforeEach(() => useSession.setState({ undo: [] }));

test('deletions and corrections are undone newest first, each once', async () => {
  const done: string[] = [];
  remember('correction', () => done.push('corrected'));
  reportDeleted('Take deleted', () => done.push('restored'));
  expect(useToasts.getState().messages.at(-1)?.text).toBe('Take deleted.');
  expect(await undoNewest()).toBe('Take deleted');
  // The message is still shown; pressing its Undo does no harm.
  useToasts.getState().messages.at(-1)?.undo?.();
  expect(await undoNewest()).toBe('correction');
  expect(await undoNewest()).toBeNull();
  expect(done).toEqual(['restored', 'corrected']);
});

test('a change of the rig after it comes first', async () => {
  const done: string[] = [];
  remember('correction', () => done.push('corrected'));
  useSession.setState({ undo: [{} as never] });
  expect(await undoNewest()).toBeNull();
  useSession.setState({ undo: [] });
  expect(await undoNewest()).toBe('correction');
  expect(done).toEqual(['corrected']);
});
