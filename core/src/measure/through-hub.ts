import { matchOnsets, type Landing, type Matching } from './match-onsets';

/**
 * How long a route through the hub takes, from notes that go through a cable and that a route passes on into the same
 * cable: each comes back once (`arrivedMs`), and once more (`againMs`). Were the hub infinitely fast, the second way would
 * take as long as the first: that moment is the pulse of each note, and what comes later than that is the hub's own
 * time. What comes back between one note and the next is the one's, however late. In ms on one time line, in order; for
 * `reportLatency`.
 */
export function throughHub(input: {
  sentMs: ArrayLike<number>;
  arrivedMs: ArrayLike<number>;
  againMs: ArrayLike<number>;
}): { pulsesMs: number[]; matching: Matching } {
  const { landings: firsts } = matchOnsets(input.sentMs, input.arrivedMs);
  const arrivals = firsts.map(({ pulse, lateMs }) => (input.sentMs[pulse] as number) + lateMs);
  const pulsesMs = firsts.map(({ lateMs }, i) => (arrivals[i] as number) + lateMs);
  const again = Array.from(input.againMs);
  const landings = pulsesMs.flatMap((pulseMs, pulse): Landing[] => {
    const next = arrivals[pulse + 1] ?? Infinity;
    const back = again.find((ms) => ms > (arrivals[pulse] as number) && ms < next);
    return back === undefined ? [] : [{ pulse, lateMs: back - pulseMs }];
  });
  const missed = pulsesMs.length - landings.length;
  return { pulsesMs, matching: { landings, missed, extra: again.length - landings.length } };
}
