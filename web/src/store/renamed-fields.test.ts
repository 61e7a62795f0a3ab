import { withNewNames } from './renamed-fields';

test('old field names are replaced in place, and win over a default under the new name', () => {
  const stored = { id: 'a', takes: 'timecode', rate: '25', gives: 'clock', syncsTo: 'clock', notes: '' };
  expect(JSON.stringify(withNewNames(stored))).toBe(
    '{"id":"a","syncsTo":"timecode","rate":"25","leadsWith":"clock","notes":""}',
  );
});

test('a device with today’s names is unchanged', () => {
  const stored = { id: 'a', syncsTo: 'nothing', leadsWith: 'timecode' };
  expect(withNewNames(stored)).toEqual(stored);
});
