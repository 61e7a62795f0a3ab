import { medianInterval } from '@metronomo/core';
import { max } from 'd3-array';
import { create } from 'zustand';

/** How long the hub takes to pass messages on, by its own time stamps: from their arrival to their port. Times in ms. */
export interface Transit {
  medianMs: number;
  ci95Ms: [number, number];
  slowestMs: number;
  count: number;
}

/** Messages that are remembered per port. */
const REMEMBERED = 64;
/** Fewer tell nothing. */
const FEWEST = 8;
const TELL_EVERY_MS = 500;

/** By output port. */
export const useTransit = create<Record<string, Transit>>(() => ({}));

const known = new Map<string, { times: number[]; toldMs: number }>();

/** A routed message was handed to its port. */
export function passedOn(portId: string, tookMs: number, nowMs: number): void {
  const one = known.get(portId) ?? { times: [], toldMs: -Infinity };
  const { times } = one;
  known.set(portId, one);
  times.push(tookMs);
  if (times.length > REMEMBERED) times.shift();
  if (nowMs - one.toldMs < TELL_EVERY_MS || times.length < FEWEST) return;
  one.toldMs = nowMs;
  useTransit.setState({ [portId]: transitOf(times) });
}

function transitOf(times: readonly number[]): Transit {
  const { median: medianMs, ci95: ci95Ms } = medianInterval(Float64Array.from(times).sort());
  return { medianMs, ci95Ms, slowestMs: max(times) ?? NaN, count: times.length };
}
