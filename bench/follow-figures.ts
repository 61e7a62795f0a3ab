import { ClockFollower, type Response } from '../core/src/follow/clock-follower';
import { seededRandom } from '../core/src/standin/random';
import { networkTrial } from '../core/src/testing/network-trial';
import type { Figure } from './figures';

const TICK_MS = 500 / 24;
const STEP = 1.12;
const SEEDS = 60;
const WITHIN_MS = 0.5;
const BEFORE = 32 * 24;
const AFTER = 16 * 24;
const NETWORKS = 200;
const DAMPING = Math.SQRT1_2;

/** Predicts when each tick was due, from all up to it, ms. */
interface Predictor {
  push(ms: number): void;
  /** How late the song is at a time, for a tick that was due then, ms. */
  offMs(tick: number, dueMs: number): number;
}

/** How well a clock is followed: noise, a tempo step of 12 %, and other clocks over networks. */
export function followFigures(): Figure[] {
  const figures: Figure[] = [];
  for (const response of ['steady', 'quick'] as const) {
    const noise = noiseOf(() => follower(response));
    // The loop is given the bandwidth with which it lets as much noise through.
    const bandwidth = bandwidthFor(noise);
    const bound = (2 / Math.sqrt(response === 'steady' ? 32 * 24 : 4 * 24)).toFixed(3);
    figures.push({
      what: `Phase error at 1 ms of jitter, ${response}`,
      ours: `${noise.toFixed(3)} ms rms after 32 beats`,
      beside: `${bound} ms is the Cramér-Rao bound for its window; a second-order loop as noisy has ${(1000 * bandwidth).toFixed(1)} mrad per tick`,
    });
    for (const jitterMs of [0.2, 1]) {
      const ours = settled(() => follower(response), jitterMs);
      const loops = settled(() => loop(bandwidth), jitterMs);
      figures.push({
        what: `Back within ${WITHIN_MS} ms after a step of 12 %, ${jitterMs} ms of jitter, ${response}`,
        ours: `${beats(ours, 0.5)} beats in the median, ${beats(ours, 0.95)} in 95 %`,
        beside: `the loop: ${beats(loops, 0.5)} and ${beats(loops, 0.95)}`,
      });
    }
  }
  figures.push(networks());
  return figures;
}

function networks(): Figure {
  const trials = Array.from({ length: NETWORKS }, (_, i) => networkTrial(i + 1));
  const share = (count: number) => `${((100 * count) / NETWORKS).toFixed(1)} %`;
  const good = trials.filter(({ errorMs }) => errorMs < 0.5);
  const honest = trials.filter(({ lastMs, saidMs }) => lastMs < saidMs);
  return {
    what: `Clock between two Metronomos over ${NETWORKS} networks (to ±100 ppm, 10 % loss, 20 ms of jitter), in time after 30 s`,
    ours: `${share(good.length)} within 0.5 ms for a minute`,
    beside: `${share(honest.length)} within the 95 % interval that they give themselves`,
  };
}

function follower(response: Response): Predictor {
  const one = new ClockFollower({ response });
  one.push({ kind: 'start' }, 0);
  return {
    push: (ms) => one.push({ kind: 'clock' }, ms),
    offMs: (tick, dueMs) => {
      const { beat, bpm } = one.at(dueMs);
      return ((tick / 24 - (beat ?? NaN)) * 60_000) / (bpm ?? NaN);
    },
  };
}

/** A second-order phase-locked loop, the usual way to regenerate a clock. */
function loop(bandwidth: number): Predictor {
  let [ms, intervalMs, tick] = [NaN, TICK_MS, -1];
  return {
    push: (atMs) => {
      tick++;
      const off = Number.isNaN(ms) ? 0 : atMs - (ms + intervalMs);
      ms = Number.isNaN(ms) ? atMs : ms + intervalMs + 2 * DAMPING * bandwidth * off;
      intervalMs += bandwidth ** 2 * off;
    },
    offMs: (wanted, dueMs) => ms + (wanted - tick) * intervalMs - dueMs,
  };
}

function noiseOf(make: () => Predictor): number {
  let squares = 0;
  for (let seed = 1; seed <= SEEDS; seed++) {
    const { normal } = seededRandom(seed * 7919);
    const one = make();
    for (let tick = 0; tick < BEFORE; tick++) one.push(1000 + tick * TICK_MS + normal());
    squares += one.offMs(BEFORE - 1, 1000 + (BEFORE - 1) * TICK_MS) ** 2;
  }
  return Math.sqrt(squares / SEEDS);
}

/**
 * Natural frequency in radians per tick with which a loop lets that much of 1 ms through: its noise bandwidth is half of
 * that times (damping + 1 / (4 damping)); F. M. Gardner, Phaselock Techniques (from memory).
 */
function bandwidthFor(noiseMs: number): number {
  return noiseMs ** 2 / (DAMPING + 1 / (4 * DAMPING));
}

/** Ticks after the step until it is within half a millisecond for a whole beat, per seed, sorted. */
function settled(make: () => Predictor, jitterMs: number): number[] {
  return Array.from({ length: SEEDS }, (_, i) => {
    const { normal } = seededRandom(i * 104_729 + 1);
    const one = make();
    let dueMs = 1000;
    let within = 0;
    for (let tick = 0; tick < BEFORE + AFTER; tick++) {
      one.push(dueMs + jitterMs * normal());
      if (tick > BEFORE) within = Math.abs(one.offMs(tick, dueMs)) > WITHIN_MS ? 0 : within + 1;
      if (within === 24) return tick - 23 - BEFORE;
      dueMs += tick >= BEFORE ? TICK_MS / STEP : TICK_MS;
    }
    return AFTER;
  }).sort((a, b) => a - b);
}

function beats(ticks: number[], share: number): string {
  return ((ticks[Math.round(share * (ticks.length - 1))] ?? NaN) / 24).toFixed(2);
}
