import { linearRegression, quantile, standardDeviation } from 'simple-statistics';
import { detectOnsets } from '../core/src/index';
import { seededRandom } from '../core/src/standin/random';
import { analyzeClock } from '../web/src/measure/analyze-clock';
import { analyzeTake } from '../web/src/measure/analyze-take';
import type { Take } from '../web/src/store/records';
import { noisyMinute } from './core-figures';
import { medianMs, type Figure } from './figures';

const RATE = 48_000;
const MIB = 2 ** 20;

/** What the Bench computes from long takes. */
export async function takeFigures(): Promise<Figure[]> {
  return [await longTake(), millionTicks(), hourOfSound()];
}

function millionTicks(): Figure {
  const random = seededRandom(9);
  const times = Float64Array.from({ length: 1e6 }, (_, k) => k * (1000 / 48) + 0.5 * random.normal());
  const ours = medianMs(() => analyzeClock(times), 5);
  const beside = medianMs(() => {
    const points = Array.from(times, (ms, k) => [k, ms]);
    linearRegression(points);
    const intervals = points.slice(1).map((point, i) => (point[1] ?? 0) - (points[i]?.[1] ?? 0));
    standardDeviation(intervals);
    quantile(intervals, [0.5, 0.95, 0.99]);
  }, 3);
  return {
    what: 'A million ticks: jitter, drift, histogram and wander',
    ours: `${(ours / 1000).toFixed(2)} s`,
    beside: `${(beside / 1000).toFixed(2)} s with simple-statistics for line, spread and quantiles, without wander`,
  };
}

function hourOfSound(): Figure {
  const minute = noisyMinute();
  const samples = new Float32Array(60 * minute.length);
  for (let i = 0; i < 60; i++) samples.set(minute, i * minute.length);
  const ours = medianMs(() => detectOnsets(samples, RATE), 3);
  return { what: 'Onsets in an hour of 48 kHz', ours: `${(ours / 1000).toFixed(1)} s`, beside: '—' };
}

/** Ten minutes on nine inputs, each loaded in its turn, as the worker does. */
async function longTake(): Promise<Figure> {
  const minute = noisyMinute();
  const line = { gearId: null, name: '', offsetMs: 0, report: null, landings: [], pulsesMs: [], onsetsMs: [] };
  const take = {
    sampleRate: RATE,
    beats: { clickChannel: 0 },
    lines: Array.from({ length: 8 }, (_, i) => ({ ...line, channel: i + 1 })),
  } as unknown as Take;
  globalThis.gc?.();
  const held = () => {
    const { heapUsed, arrayBuffers } = process.memoryUsage();
    return heapUsed + arrayBuffers;
  };
  const before = held();
  let peak = before;
  const look = () => (peak = Math.max(peak, held()));
  const startedAt = performance.now();
  await analyzeTake(take, () => {
    globalThis.gc?.();
    const samples = new Float32Array(10 * minute.length);
    for (let i = 0; i < 10; i++) samples.set(minute, i * minute.length);
    look();
    return Promise.resolve(samples);
  });
  look();
  return {
    what: 'A take of ten minutes on eight channels and the click, measured',
    ours: `${((peak - before) / MIB).toFixed(0)} MB at the most, ${((performance.now() - startedAt) / 1000).toFixed(1)} s`,
    beside: `${((9 * 600 * RATE * 4) / MIB).toFixed(0)} MB to hold all of it`,
  };
}
