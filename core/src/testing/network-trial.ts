import { quantileSorted } from 'd3-array';
import type { LinkSettings } from '../standin/link';
import { seededRandom } from '../standin/random';
import { TwoEnds } from './two-ends';

export interface NetworkTrial {
  link: LinkSettings;
  driftPpm: number;
  bufferMs: number;
  /** How far 99% of the ticks play from their time plus the buffer, ms, at the most: in the first 30 s, and in the minute after. */
  earlyMs: number;
  errorMs: number;
  /** The same in the last second, and the uncertainty that the session itself gives for it. */
  lastMs: number;
  saidMs: number;
}

const MAX_PPM = 100;
const MAX_LOSS = 0.1;
const MAX_JITTER_MS = 20;
const SETTLE_MS = 30_000;
const MEASURE_MS = 60_000;
const TICK_MS = 500 / 24;
const SHAPES = ['normal', 'uniform', 'exponential'] as const;

/** Two Metronomos on a random network, the same for the same seed: clock at 120 BPM from one to the other. */
export function networkTrial(seed: number): NetworkTrial {
  const { uniform } = seededRandom(Math.imul(seed, 0x9e3779b1));
  const jitterMs = MAX_JITTER_MS * uniform();
  const delayMs = 0.2 + 40 * uniform();
  const jitter = SHAPES[Math.floor(3 * uniform())] ?? 'normal';
  const link = { delayMs, jitterMs, jitter, loss: MAX_LOSS * uniform() };
  const driftPpm = MAX_PPM * (2 * uniform() - 1);
  // The share of messages that comes later than this is far below one in a hundred.
  const bufferMs = Math.max(10, Math.ceil(delayMs + 6 * jitterMs + 2));
  const room = new TwoEnds(link, seed, driftPpm);
  room.connect();
  const [session] = room.a.sessions(room.nowMs);
  const [theirs] = room.b.sessions(room.clockB());
  if (!session || !theirs) throw new Error('No session');
  room.b.setBuffer(theirs.id, bufferMs);
  const startMs = room.nowMs + 50;
  let sent = 0;
  room.run(SETTLE_MS + MEASURE_MS, (nowMs) => {
    for (; startMs + sent * TICK_MS < nowMs + 60; sent++)
      room.a.send(session.id, [{ atMs: startMs + sent * TICK_MS, bytes: Uint8Array.of(0xf8) }]);
  });
  const off = room.heardByB.map(({ atMs }) => {
    const dueMs = room.clockA(atMs) - startMs - bufferMs;
    return { dueMs, offMs: Math.abs(dueMs - Math.round(dueMs / TICK_MS) * TICK_MS) };
  });
  const most = (fromMs: number, toMs: number) => {
    const offs = off.filter(({ dueMs }) => dueMs >= fromMs && dueMs < toMs).map(({ offMs }) => offMs);
    return (
      quantileSorted(
        offs.sort((a, b) => a - b),
        0.99,
      ) ?? NaN
    );
  };
  const saidMs = room.b.sessions(room.clockB())[0]?.playoutErrorMs ?? NaN;
  return {
    ...{ link, driftPpm, bufferMs, saidMs },
    earlyMs: most(0, SETTLE_MS),
    errorMs: most(SETTLE_MS, SETTLE_MS + MEASURE_MS),
    lastMs: most(SETTLE_MS + MEASURE_MS - 1000, SETTLE_MS + MEASURE_MS),
  };
}
