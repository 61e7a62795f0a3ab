import { seededRandom } from '../standin/random';
import { measureLatency } from './measure-latency';
import { throughHub } from './through-hub';

const NOTES = 64;
const EVERY_MS = 120;

/** A cable and a hub, each with its own jitter; some notes are lost on the way. */
function loop(seed: number, lostShare = 0) {
  const random = seededRandom(Math.imul(seed, 0x9e3779b1));
  const [cableMs, hubMs] = [0.4 + 4 * random.uniform(), 0.1 + 3 * random.uniform()];
  const jitter = (most: number) => most * random.uniform();
  const sentMs = Array.from({ length: NOTES }, (_, i) => 500 + i * EVERY_MS);
  const [arrivedMs, againMs]: [number[], number[]] = [[], []];
  for (const ms of sentMs) {
    if (random.uniform() < lostShare) continue;
    const first = ms + cableMs + jitter(0.3);
    arrivedMs.push(first);
    // As often slower than usual as faster.
    if (random.uniform() >= lostShare) againMs.push(first + hubMs + jitter(0.4) - 0.2 + cableMs + jitter(0.3));
  }
  return { hubMs, ...throughHub({ sentMs, arrivedMs, againMs }) };
}

test('200 hubs behind 200 cables: the interval of 95% holds how long the hub takes', () => {
  let holds = 0;
  for (let seed = 1; seed <= 200; seed++) {
    const { hubMs, ...heard } = loop(seed);
    const { medianMs, ci95Ms, believable } = measureLatency(heard);
    expect(believable).toBe(true);
    expect(Math.abs(medianMs - hubMs)).toBeLessThan(0.2);
    if (ci95Ms[0] <= hubMs && hubMs <= ci95Ms[1]) holds++;
  }
  // 95% of 200, less three standard errors; 1,900 of 2,000 by hand.
  expect(holds).toBeGreaterThanOrEqual(181);
});

test('notes lost on either way shift nothing', () => {
  const { hubMs, pulsesMs, onsetsMs } = loop(7, 0.1);
  const { medianMs, missed, extra } = measureLatency({ pulsesMs, onsetsMs });
  expect(pulsesMs.length).toBeLessThan(NOTES);
  expect(missed).toBe(pulsesMs.length - onsetsMs.length);
  expect(extra).toBe(0);
  expect(Math.abs(medianMs - hubMs)).toBeLessThan(0.2);
});
