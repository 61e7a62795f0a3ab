import { playEvening } from './play-evening';

/**
 * Each of these once found a fault. A seed gives other evenings after a change of the generator; the last four found
 * theirs with this one.
 */
const FOUND = [
  49, 57, 62, 102, 110, 353, 395, 432, 449, 470, 490, 574, 968, 3641, 5734, 10152, 20009, 20248, 31341, 33311, 34098,
  531515, 535071, 555969, 1022995, 2018136, 3048541, 3086289, 3092599, 3519337,
];

test.each(FOUND)('evening %d, which once went wrong, goes well', (seed) => {
  expect(playEvening(seed)).toBeNull();
});

test('a hundred random evenings go well', () => {
  const failed = Array.from({ length: 100 }, (_, i) => playEvening(100_000 + i)).filter((one) => one !== null);
  expect(failed).toEqual([]);
});
