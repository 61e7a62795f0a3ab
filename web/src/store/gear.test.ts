import { gear, inTakes, onSameInput, ownReturn, sharedInput } from './gear';

const on = (name: string, returnChannel: number | null) => gear({ id: name, name, returnChannel });
const rig = [
  on('drums', 1),
  on('bass', 2),
  on('keys', 2),
  on('lamps', null),
  on('pads', 3),
  on('box', 2),
  on('rack', 3),
];
const [drums, bass, , lamps] = rig;

test('a device is heard alone only on an input of its own', () => {
  expect(onSameInput(rig, bass!).map(({ id }) => id)).toEqual(['keys', 'box']);
  expect([drums, bass, lamps].map((one) => ownReturn(rig, one!))).toEqual([1, null, null]);
});

test('devices that share an input are measured in turns on it, all others at once', () => {
  const heard = rig.filter(({ returnChannel }) => returnChannel !== null);
  expect(inTakes(heard)).toEqual([
    { gearIds: ['drums'] },
    { gearIds: ['bass', 'keys', 'box'], onChannel: 2 },
    { gearIds: ['pads', 'rack'], onChannel: 3 },
  ]);
  expect(inTakes([drums!])).toEqual([{ gearIds: ['drums'] }]);
  expect(inTakes([])).toEqual([]);
});

test('several devices that all come in on one input share it, also the first input', () => {
  const all = (...channels: (number | null)[]) => channels.map((channel, i) => on(`device ${i}`, channel));
  expect(sharedInput(all(1, 1, 1))).toBe(1);
  expect(sharedInput(all(0, 0))).toBe(0);
  for (const channels of [[], [1], [1, 2], [null, null], [1, null]])
    expect(sharedInput(all(...channels))).toBeUndefined();
});
