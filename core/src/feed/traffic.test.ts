import { encodeMidi } from '../midi/encode-midi';
import { traffic } from './traffic';

test('each message comes exactly once and in order, whatever the windows', () => {
  const whole = traffic(0, 4000);
  const pieces = [0, 7, 500, 501.5, 2222, 4000];
  const joined = pieces.slice(1).flatMap((to, i) => traffic(pieces[i]!, to));
  expect(joined).toEqual(whole);
  expect(whole.every(({ atMs }, i) => i === 0 || atMs >= whole[i - 1]!.atMs)).toBe(true);
});

test('it uses much of a DIN line without overloading it (31,250 baud, ten bits per byte, MIDI 1.0)', () => {
  const bytes = traffic(0, 60_000).reduce((sum, { message }) => sum + encodeMidi(message).length, 0);
  const share = (bytes * 0.32) / 60_000;
  expect(share).toBeGreaterThan(0.15);
  expect(share).toBeLessThan(0.5);
});
