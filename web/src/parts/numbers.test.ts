import { count, decimal, fps, percent, plural, whole } from '../words/numbers';

test('numbers have fixed decimals, thousands separators and no negative zero', () => {
  expect([decimal(12.345, 1), decimal(-0.04, 1), decimal(1234.5, 2), whole(65_536)]).toEqual([
    '12.3',
    '0.0',
    '1,234.50',
    '65,536',
  ]);
});

test('a noun agrees with its count', () => {
  expect([count(0, 'take'), count(1, 'take'), count(1200, 'take')]).toEqual(['0 takes', '1 take', '1,200 takes']);
  expect([count(1, 'entry', 'entries'), count(2, 'entry', 'entries')]).toEqual(['1 entry', '2 entries']);
  expect(plural(1, 'pass', 'passes')).toBe('pass');
});

test('percent signs are closed up, and drop-frame is spelled out', () => {
  expect([percent(0.953), percent(0.0123, 1)]).toEqual(['95%', '1.2%']);
  expect([fps('25'), fps('29.97df')]).toEqual(['25 fps', '29.97 fps drop-frame']);
});
