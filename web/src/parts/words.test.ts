import { latenessText, moveText, offsetText, signed, verdict } from './words';

test('late and early are words, and anything that rounds to zero is on the beat', () => {
  expect([12.34, -0.4, 0.04, -0.04].map(latenessText)).toEqual([
    '12.3 ms late',
    '0.4 ms early',
    'on the beat',
    'on the beat',
  ]);
  expect(moveText(-12.3)).toBe('send it 12.3 ms earlier');
  expect(offsetText(0)).toBe('none');
  expect(offsetText(-31.7)).toBe('31.7 ms earlier');
});

test('a sign is a true minus, and zero has none', () => {
  expect([12.34, -12.34, -0.01].map((ms) => signed(ms))).toEqual(['+12.3', '−12.3', '0.0']);
});

test('verdicts change at 2, 10 and 20 ms, early or late (common practice, no source)', () => {
  expect([1.9, -2, 5, 12, -19, 25].map((ms) => verdict(ms).word)).toEqual([
    'Tight.',
    'Tight.',
    'Playable.',
    'Audible.',
    'Audible.',
    'Out of time.',
  ]);
});
