import { saveHeld, updateOrHold, withUnsaved } from './unsaved';

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
