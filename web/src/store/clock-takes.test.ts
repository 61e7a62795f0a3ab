import 'fake-indexeddb/auto';
import { database } from './database';
import { deleteClockTake, listClockTakes, loadTicks, markClocksInterrupted } from './clock-takes';
import type { ClockTake } from './records';

const take = (id: string, startedAt: number, status: ClockTake['status'] = 'done'): ClockTake => ({
  ...{ id, rigId: 'r', startedAt, status, gearIds: [], portId: 'p', name: 'Vole', ticks: 0, result: null },
});

beforeEach(async () => {
  await database.clockTakes.clear();
  await database.ticks.clear();
});

test('ticks come back in arrival order, whatever the order of their chunks', async () => {
  await database.ticks.bulkAdd([
    { takeId: 'a', index: 2, times: Float64Array.of(5, 6) },
    { takeId: 'a', index: 0, times: Float64Array.of(1, 2, 3) },
    { takeId: 'b', index: 0, times: Float64Array.of(9) },
    { takeId: 'a', index: 1, times: Float64Array.of(4) },
  ]);
  expect([...(await loadTicks('a'))]).toEqual([1, 2, 3, 4, 5, 6]);
  expect([...(await loadTicks('none'))]).toEqual([]);
});

test('a rig’s takes are listed newest first, without those of another', async () => {
  await database.clockTakes.bulkAdd([take('a', 1), take('b', 3), { ...take('c', 2), rigId: 'other' }]);
  expect((await listClockTakes('r')).map(({ id }) => id)).toEqual(['b', 'a']);
});

test('a deleted take is restored by undo, with its ticks', async () => {
  await database.clockTakes.add(take('a', 1));
  await database.ticks.add({ takeId: 'a', index: 0, times: Float64Array.of(1, 2) });
  const undo = await deleteClockTake('a');
  expect([await database.clockTakes.count(), await database.ticks.count()]).toEqual([0, 0]);
  await undo();
  expect(await listClockTakes('r')).toHaveLength(1);
  expect([...(await loadTicks('a'))]).toEqual([1, 2]);
});

test('a take interrupted by closing the page says so, once', async () => {
  await database.clockTakes.bulkAdd([take('a', 1), take('b', 2, 'recording')]);
  expect(await markClocksInterrupted('The page was closed.')).toEqual(['b']);
  expect(await database.clockTakes.get('b')).toMatchObject({
    status: 'interrupted',
    ending: expect.stringMatching(/closed/) as string,
  });
  expect(await markClocksInterrupted('The page was closed.')).toEqual([]);
});
