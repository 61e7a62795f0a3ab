import { matchOnsets } from './match-onsets';

/**
 * How long a route through the hub takes, from notes that go through a cable and that a route passes on into the same
 * cable: each comes back once (`arrivedMs`), and once more (`againMs`). Were the hub infinitely fast, the second way would
 * take as long as the first: that moment is the pulse of each note, and what comes later than that is the hub's own
 * time. In ms on one time line, in order; for `measureLatency`.
 */
export function throughHub(input: {
  sentMs: ArrayLike<number>;
  arrivedMs: ArrayLike<number>;
  againMs: ArrayLike<number>;
}): { pulsesMs: number[]; onsetsMs: number[] } {
  const { landings } = matchOnsets(input.sentMs, input.arrivedMs);
  const pulsesMs = landings.map(({ pulse, lateMs }) => (input.sentMs[pulse] as number) + 2 * lateMs);
  return { pulsesMs, onsetsMs: Array.from(input.againMs) };
}
