import { seededRandom } from '../standin/random';
import { reportLatency } from './measure-latency';
import { throughHub } from './through-hub';

const NOTES = 64;
const EVERY_MS = 120;

/** A cable and a hub, each with its own jitter; some notes are lost on the way. */
function loop(seed: number, { lostShare = 0, stalls = false } = {}) {
  const random = seededRandom(Math.imul(seed, 0x9e3779b1));
  const [cableMs, hubMs] = [0.4 + 4 * random.uniform(), 0.1 + 3 * random.uniform()];
  const jitter = (most: number) => most * random.uniform();
  const sentMs = Array.from({ length: NOTES }, (_, i) => 500 + i * EVERY_MS);
  const [arrivedMs, againMs]: [number[], number[]] = [[], []];
  for (const ms of sentMs) {
    if (random.uniform() < lostShare) continue;
    const first = ms + cableMs + jitter(0.3);
    arrivedMs.push(first);
    // As often slower than usual as faster; now and then, the machine is busy.
    const busyMs = stalls && random.uniform() < 0.3 ? jitter(40) : 0;
    if (random.uniform() >= lostShare) againMs.push(first + hubMs + busyMs + jitter(0.4) - 0.2 + cableMs + jitter(0.3));
  }
  return { hubMs, ...throughHub({ sentMs, arrivedMs, againMs }) };
}

test('200 hubs behind 200 cables: the interval of 95% holds how long the hub takes', () => {
  let holds = 0;
  for (let seed = 1; seed <= 200; seed++) {
    const { hubMs, matching } = loop(seed);
    const { medianMs, ci95Ms, believable } = reportLatency(matching);
    expect(believable).toBe(true);
    expect(Math.abs(medianMs - hubMs)).toBeLessThan(0.2);
    if (ci95Ms[0] <= hubMs && hubMs <= ci95Ms[1]) holds++;
  }
  // 95% of 200, less three standard errors; 1,900 of 2,000 by hand.
  expect(holds).toBeGreaterThanOrEqual(181);
});

test('notes lost on either way shift nothing', () => {
  const { hubMs, pulsesMs, matching } = loop(7, { lostShare: 0.1 });
  expect(pulsesMs.length).toBeLessThan(NOTES);
  expect(matching.missed).toBeGreaterThan(0);
  expect(matching.extra).toBe(0);
  expect(Math.abs(reportLatency(matching).medianMs - hubMs)).toBeLessThan(0.2);
});

test('a note that a busy machine passes on late is late, not lost', () => {
  const { hubMs, matching } = loop(9, { stalls: true });
  expect([matching.missed, matching.extra]).toEqual([0, 0]);
  expect(Math.max(...matching.landings.map(({ lateMs }) => lateMs))).toBeGreaterThan(hubMs + 20);
  const { ci95Ms } = reportLatency(matching);
  expect(ci95Ms[0]).toBeLessThan(hubMs + 0.2);
});
