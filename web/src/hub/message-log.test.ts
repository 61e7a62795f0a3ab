import { kindOf, MessageLog } from './message-log';

const clock = (atMs: number) => ({ portId: 'a', bytes: Uint8Array.of(0xf8), atMs });

test('the last messages are kept in order, up to twenty thousand', () => {
  const log = new MessageLog();
  for (let i = 0; i < 25_000; i++) log.note('out', clock(i));
  const all = log.after(0, Infinity);
  expect(all).toHaveLength(20_000);
  expect([all[0]!.atMs, all.at(-1)!.atMs, all.at(-1)!.number]).toEqual([5000, 24_999, 25_000]);
  expect(log.after(24_998, 100).map(({ atMs }) => atMs)).toEqual([24_998, 24_999]);
  expect(log.after(25_000, 100)).toEqual([]);
  expect(log.after(0, 10)).toHaveLength(10);
});

test('the collapsed ribbon shows the newest of each kind and direction', () => {
  const log = new MessageLog();
  log.note('out', clock(1));
  log.note('out', { portId: 'a', bytes: Uint8Array.of(0xfa), atMs: 2 });
  log.note('in', clock(3));
  expect(log.takeNewest(6).map(({ direction, kind }) => `${direction} ${kind}`)).toEqual([
    ...['out clock', 'out transport', 'in clock'],
  ]);
  expect(log.takeNewest(6)).toEqual([]);
  for (const portId of ['a', 'b', 'c']) log.note('out', { ...clock(4), portId });
  expect(log.takeNewest(2).map(({ portId }) => portId)).toEqual(['a', 'b']);
});

test('a long SysEx is kept as far as it can be shown', () => {
  const log = new MessageLog();
  log.note('in', { portId: 'a', bytes: new Uint8Array(100_000).fill(1), atMs: 0 });
  expect(log.after(0, 1)[0]!.bytes).toHaveLength(64);
  expect(kindOf(Uint8Array.of(0xf0, 0x7f, 0x7f, 0x06, 0x02, 0xf7))).toBe('transport');
  expect(kindOf(Uint8Array.of(0xf0, 0x7f, 0x7f, 0x01, 0x01, 0, 0, 0, 0, 0xf7))).toBe('timecode');
});
