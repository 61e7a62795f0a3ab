import { Hub } from './hub';
import { NoteRouter, type PortRoute } from './note-router';

const route = (change: Partial<PortRoute> = {}): PortRoute => ({
  id: 'r',
  fromPortId: 'keys',
  toPortId: 'synth',
  fromChannel: null,
  toChannel: 5,
  passes: { notes: true, controllers: true, programs: true, bends: true },
  ...change,
});
const router = (...routes: PortRoute[]) => {
  const one = new NoteRouter();
  one.setRoutes(routes, 0);
  return one;
};
const sent = (one: NoteRouter, ...bytes: number[]) =>
  one.receive('keys', Uint8Array.from(bytes), 7).map(({ portId, bytes: out }) => [portId, ...out]);

test('notes and controllers go to the other port on the other channel; sync messages don’t', () => {
  const one = router(route());
  expect(sent(one, 0x90, 60, 100, 0xf8, 0xb0, 7, 90, 0xe0, 0, 64, 0xc0, 3)).toEqual([
    ['synth', 0x94, 60, 100],
    ['synth', 0xb4, 7, 90],
    ['synth', 0xe4, 0, 64],
    ['synth', 0xc4, 3],
  ]);
  expect(one.receive('another', Uint8Array.of(0x90, 60, 100), 0)).toEqual([]);
});

test('excluded message kinds and other channels are dropped', () => {
  const one = router(
    route({
      fromChannel: 2,
      toChannel: null,
      passes: { notes: true, controllers: false, programs: false, bends: false },
    }),
  );
  expect(sent(one, 0x91, 60, 100, 0x90, 61, 100, 0xb1, 7, 90)).toEqual([['synth', 0x91, 60, 100]]);
});

test('two routes into one port are merged; one port can feed two', () => {
  const one = router(
    route(),
    route({ id: 's', fromPortId: 'pads' }),
    route({ id: 't', toPortId: 'sampler', toChannel: 1 }),
  );
  expect(sent(one, 0x90, 60, 100).map(([portId]) => portId)).toEqual(['synth', 'sampler']);
  expect(one.receive('pads', Uint8Array.of(0x90, 61, 100), 0)).toHaveLength(1);
});

test('a held note gets its note-off where it was played, exactly once, when its route changes', () => {
  const one = router(route());
  sent(one, 0x90, 60, 100);
  const released = one.setRoutes([route({ toChannel: 6 })], 9);
  expect(released.map(({ bytes }) => [...bytes])).toEqual([[0x84, 60, 64]]);
  expect(sent(one, 0x80, 60, 64)).toEqual([]);
});

test('the hub routes notes immediately while its clock continues', () => {
  const hub = new Hub({ bpm: 120 });
  hub.setRoutes([route()]);
  const out = hub.receive('keys', Uint8Array.of(0x90, 60, 100), 12.5);
  expect(out).toMatchObject([{ portId: 'synth', atMs: 12.5 }]);
  expect(hub.receive('keys', Uint8Array.of(0xf8), 13)).toEqual([]);
});

test('a route with a delay sends everything that much later; a note that is let go ends after it began', () => {
  const one = router(route({ delayMs: 12.5 }));
  const on = one.receive('keys', Uint8Array.of(0x90, 60, 100), 100);
  const off = one.receive('keys', Uint8Array.of(0x80, 60, 64), 140);
  expect([...on, ...off].map(({ atMs }) => atMs)).toEqual([112.5, 152.5]);
  one.receive('keys', Uint8Array.of(0x90, 62, 100), 200);
  expect(one.setRoutes([], 205).map(({ atMs, bytes }) => [atMs, ...bytes])).toEqual([[212.5, 0x84, 62, 64]]);
});

test('a delay that changes leaves held notes alone, and none ends before it began', () => {
  const one = router(route({ delayMs: 30 }));
  one.receive('keys', Uint8Array.of(0x90, 60, 100), 100);
  expect(one.setRoutes([route()], 105)).toEqual([]);
  expect(one.receive('keys', Uint8Array.of(0x80, 60, 64), 110).map(({ atMs }) => atMs)).toEqual([130]);
  expect(one.receive('keys', Uint8Array.of(0x90, 62, 100), 140).map(({ atMs }) => atMs)).toEqual([140]);
});
