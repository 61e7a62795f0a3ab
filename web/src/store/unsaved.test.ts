import { isStorageFull, saveHeld, updateOrHold, withUnsaved } from './unsaved';

const saved: object[] = [];
const disk = { full: true };
const table = {
  update: (id: string, changes: object) =>
    disk.full ? Promise.reject(new Error('QuotaExceededError')) : Promise.resolve(saved.push({ id, ...changes })),
};

test('what storage has no room for is read until it can be saved, together with later changes', async () => {
  await updateOrHold(table, 'take', { status: 'interrupted' });
  await updateOrHold(table, 'take', { frames: 12 });
  await saveHeld();
  expect(withUnsaved({ id: 'take', frames: 0 })).toEqual({ id: 'take', frames: 12, status: 'interrupted' });
  expect(withUnsaved({ id: 'another', frames: 0 })).toEqual({ id: 'another', frames: 0 });
  disk.full = false;
  await saveHeld();
  expect(saved).toEqual([{ id: 'take', status: 'interrupted', frames: 12 }]);
  expect(withUnsaved({ id: 'take', frames: 0 })).toEqual({ id: 'take', frames: 0 });
});

test('full storage is distinguished from other failures, also as Dexie and a worker pass it on', () => {
  const named = (name: string, message = '') => Object.assign(new Error(message), { name });
  const wrapped = Object.assign(named('AbortError'), { inner: named('QuotaExceededError') });
  const all = [named('QuotaExceededError'), named('Error', 'QuotaExceededError'), wrapped];
  expect(all.map(isStorageFull)).toEqual([true, true, true]);
  expect([named('DatabaseClosedError'), named('AbortError'), 'full', null].map(isStorageFull)).toEqual([
    false,
    false,
    false,
    false,
  ]);
});
