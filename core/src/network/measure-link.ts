import { NORMAL_95 } from '../maths/fit-line';
import { deviation, median, quantileSorted } from 'd3-array';
import { ClockMatch } from './clock-match';
import type { ExchangeRecord } from './session';

/** How well a network link carries sync, from clock exchanges. */
export interface LinkReport {
  asked: number;
  answered: number;
  /** Share of exchanges without a reply, and its 95% interval (Wilson). */
  loss: number;
  lossInterval: [number, number];
  roundTripMs: { least: number; median: number; p95: number; most: number };
  /** Jitter in each direction: standard deviation, ms. */
  jitterThereMs: number;
  jitterBackMs: number;
  /** Delay beyond the median that 99.9% of messages stay within; the maximum if there are fewer than a thousand. */
  latestBackMs: number;
  /** Recommended receive buffer, ms, so that nothing arrives late. */
  bufferMs: number;
  /** Send offset for a peer that plays messages as they arrive: half the round trip, ms. */
  offsetOnArrivalMs: number;
  /** Each reply, for the chart: send time and round trip, ms. */
  points: { atMs: number; roundTripMs: number }[];
}

/** Margin beyond what was measured, for scheduling at both ends. */
const HEADROOM_MS = 5;
const MIN_ANSWERS = 10;

/** Null if there are too few replies. */
export function measureLink(records: readonly ExchangeRecord[]): LinkReport | null {
  const answers = records.flatMap(({ sentMs, theirsMs, receivedMs }) =>
    theirsMs === null || receivedMs === null ? [] : [{ sentMs, theirsMs, receivedMs }],
  );
  if (answers.length < MIN_ANSWERS) return null;
  const match = new ClockMatch();
  for (const answer of answers) match.push(answer);
  const roundTrips = sorted(answers.map(({ sentMs, receivedMs }) => receivedMs - sentMs));
  const there = answers.map(({ sentMs, theirsMs }) => match.toOurs(theirsMs) - sentMs);
  const back = answers.map(({ receivedMs, theirsMs }) => receivedMs - match.toOurs(theirsMs));
  const latestBackMs = at(sorted(back), 0.999) - (median(back) ?? 0);
  const middle = at(roundTrips, 0.5);
  return {
    asked: records.length,
    answered: answers.length,
    loss: 1 - answers.length / records.length,
    lossInterval: wilson(records.length - answers.length, records.length),
    roundTripMs: { least: at(roundTrips, 0), median: middle, p95: at(roundTrips, 0.95), most: at(roundTrips, 1) },
    jitterThereMs: deviation(there) ?? 0,
    jitterBackMs: deviation(back) ?? 0,
    latestBackMs,
    bufferMs: Math.ceil(middle / 2 + latestBackMs + HEADROOM_MS),
    offsetOnArrivalMs: -middle / 2,
    points: answers.map(({ sentMs, receivedMs }) => ({ atMs: sentMs, roundTripMs: receivedMs - sentMs })),
  };
}

function sorted(values: number[]): number[] {
  return values.sort((a, b) => a - b);
}

function at(values: number[], share: number): number {
  return quantileSorted(values, share) ?? 0;
}

/** E. B. Wilson's score interval of a proportion (1927). */
function wilson(count: number, all: number): [number, number] {
  const share = count / all;
  const square = NORMAL_95 ** 2 / all;
  const middle = share + square / 2;
  const half = NORMAL_95 * Math.sqrt((share * (1 - share)) / all + square / all / 4);
  return [Math.max(0, (middle - half) / (1 + square)), Math.min(1, (middle + half) / (1 + square))];
}
