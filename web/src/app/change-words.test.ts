import type { FollowState } from '@metronomo/core';
import { lockWords, offsetWords, type Standing } from './change-words';

const standing = (states: Record<string, FollowState>, playing = true): Standing => ({
  playing,
  followers: Object.entries(states).map(([name, state]) => ({ name, state })),
});

test('the lock of all is announced once, and so is one that is lost and comes back', () => {
  const none = standing({ Drums: 'silent', Bass: 'silent' }, false);
  const one = standing({ Drums: 'locked', Bass: 'settling' });
  const all = standing({ Drums: 'locked', Bass: 'locked' });
  const lost = standing({ Drums: 'locked', Bass: 'lost' });
  expect(lockWords(none, one)).toBeNull();
  expect(lockWords(one, all)).toBe('All 2 followers locked.');
  expect(lockWords(all, all)).toBeNull();
  expect(lockWords(all, lost)).toBe('Bass lost.');
  expect(lockWords(lost, all)).toBe('Bass locked again. All 2 followers locked.');
});

test('nothing is announced of followers that fall silent because the music stopped', () => {
  const all = standing({ Drums: 'locked' });
  expect(lockWords(all, standing({ Drums: 'lost' }, false))).toBeNull();
  expect(lockWords(standing({}), standing({}))).toBeNull();
});

test('a nudge is announced with its new offset; of many, only their number', () => {
  const before = [
    { name: 'Drums', offsetMs: 0 },
    { name: 'Bass', offsetMs: 0 },
  ];
  const moved = (drums: number, bass: number) => [
    { name: 'Drums', offsetMs: drums },
    { name: 'Bass', offsetMs: bass },
  ];
  expect(offsetWords(before, moved(0, 0))).toBeNull();
  expect(offsetWords(before, moved(0, -0.3))).toBe('Bass: offset −0.3 ms.');
  expect(offsetWords(before, moved(1, -0.3))).toBe('2 offsets changed.');
  // A new device.
  expect(offsetWords(before, [...before, { name: 'Keys', offsetMs: 7 }])).toBeNull();
});
