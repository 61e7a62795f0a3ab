/** One line of the table: what was measured, our figure, and the nearest alternative a user could take. */
export interface Figure {
  what: string;
  ours: string;
  beside: string;
}

/** Median of several runs of a function, in ms; the machines are shared and stall now and then. */
export function medianMs(run: () => void, times = 7): number {
  const taken = Array.from({ length: times }, () => {
    const startedAt = performance.now();
    run();
    return performance.now() - startedAt;
  }).sort((a, b) => a - b);
  return taken[Math.floor(times / 2)] ?? NaN;
}

export const perSecond = (count: number, ms: number): string => `${((count / ms) * 1000).toExponential(2)} a second`;

export const timesRealTime = (seconds: number, ms: number): string =>
  `${((seconds * 1000) / ms).toFixed(0)} times real time`;
