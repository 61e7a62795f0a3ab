import { controlConflicts, type Control } from './controls';
import type { NoteRoute, Socket } from './rig';

const control = (id: string, signal: Control['signal'], socketId = 'pedals'): Control => ({
  id,
  socketId,
  signal,
  does: 'play',
});
const cc = { kind: 'controller', channel: 3, controller: 64 } as const;
const start = { kind: 'transport', message: 'start' } as const;
const socket = (obeys: boolean): Socket => ({ id: 'pedals', label: '1', direction: 'in', link: 'usb', obeys });
const route = (fromChannel: number | null, controllers = true): NoteRoute => ({
  id: 'r',
  from: 'pedals',
  to: 'synth',
  fromChannel,
  toChannel: null,
  passes: { notes: true, controllers, programs: true, bends: true },
});
const none = new Set<string>();

test('two controls on the same pedal are named; on two inputs, they are not the same', () => {
  const [a, b] = [control('a', cc), control('b', cc)];
  expect(controlConflicts([a, b], [], [], none)).toEqual([{ kind: 'same', controlId: 'b', otherId: 'a' }]);
  expect(controlConflicts([a, { ...b, socketId: 'keys' }], [], [], none)).toEqual([]);
});

test('a pedal that a route carries on to a device is named, unless the route leaves it out', () => {
  const found = (one: NoteRoute) => controlConflicts([control('a', cc)], [one], [], none);
  expect(found(route(null))).toEqual([{ kind: 'route', controlId: 'a', routeId: 'r' }]);
  expect(found(route(3))).toHaveLength(1);
  expect(found(route(4))).toEqual([]);
  expect(found(route(null, false))).toEqual([]);
});

test('start from an input that is obeyed, or from a device that may lead, would count twice', () => {
  const own = [control('a', start)];
  expect(controlConflicts(own, [], [socket(true)], none)).toEqual([{ kind: 'obeyed', controlId: 'a' }]);
  expect(controlConflicts(own, [], [socket(false)], new Set(['pedals']))).toHaveLength(1);
  expect(controlConflicts(own, [], [socket(false)], none)).toEqual([]);
  expect(controlConflicts([control('a', cc)], [], [socket(true)], none)).toEqual([]);
});
