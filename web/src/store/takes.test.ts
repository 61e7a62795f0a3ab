import 'fake-indexeddb/auto';
import { database } from './database';
import type { Take, TakeKind } from './records';
import { listTakeHeads } from './takes';

test('the heads of takes of some kinds, newest first, without the one that is running', async () => {
  const take = (id: string, kind: TakeKind, startedAt: number, more: Partial<Take> = {}) =>
    ({ id, kind, startedAt, rigId: 'rig', gearIds: [], status: 'done', ...more }) as unknown as Take;
  await database.takes.bulkAdd([
    take('a', 'take', 1),
    take('b', 'proof', 2),
    take('c', 'chase', 3),
    take('d', 'take', 4),
    take('e', 'take', 5, { status: 'recording' }),
    take('f', 'take', 6, { rigId: 'another' }),
  ]);
  expect(await listTakeHeads('rig', ['take', 'proof'])).toEqual([
    { id: 'd', kind: 'take', startedAt: 4 },
    { id: 'b', kind: 'proof', startedAt: 2 },
    { id: 'a', kind: 'take', startedAt: 1 },
  ]);
  expect(await listTakeHeads('rig', ['take', 'proof'], 1)).toHaveLength(1);
});
