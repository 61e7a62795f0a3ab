import { ClockMatch } from './clock-match';
import { Playout } from './playout';

const TICK_MS = 500 / 24;
const AHEAD_MS = 50;

/** A first exchange that took 14 ms, all of it on the way back, and then good ones of 0.5 ms; both clocks are alike. */
function lateFirst() {
  const match = new ClockMatch();
  const exchange = (sentMs: number, thereMs: number, backMs: number) =>
    match.push({ sentMs, theirsMs: sentMs + thereMs, receivedMs: sentMs + thereMs + backMs });
  exchange(0, 0.25, 13.75);
  return { match, exchange };
}

test('after one exchange, the uncertainty is that of its round trip; after eight, the slow one counts for nothing', () => {
  const { match, exchange } = lateFirst();
  expect(Math.abs(match.at(14)!.offsetMs)).toBeGreaterThan(6);
  expect(Math.abs(match.at(14)!.offsetMs)).toBeLessThan(2 * match.at(14)!.standardErrorMs);
  for (let i = 1; i < 8; i++) exchange(50 * i, 0.25, 0.25);
  expect(Math.abs(match.at(400)!.offsetMs)).toBeLessThan(0.05);
});

test('a bad first estimate is corrected while ticks come in, without a step, and without other calls', () => {
  const { match, exchange } = lateFirst();
  const playout = new Playout(match, 30);
  const errors: number[] = [];
  for (let tick = 1; tick < 240; tick++) {
    const atMs = tick * TICK_MS;
    if (tick % 3 === 0) exchange(atMs - 1, 0.25, 0.25);
    playout.arrived(atMs + AHEAD_MS, atMs);
    errors.push(playout.dueMs(atMs) - 30 - atMs);
  }
  const steps = errors.slice(1).map((error, i) => Math.abs(error - errors[i]!));
  expect(Math.abs(errors[0]!)).toBeGreaterThan(5);
  expect(Math.max(...steps)).toBeLessThan(0.004 * TICK_MS);
  expect(Math.abs(errors.at(-1)!)).toBeLessThan(0.2);
});
