const KEPT = 16;

/** The clock of the page with the hub, by exchanges: the one with the shortest round trip is believed (RFC 5905, NTP). */
export class HubClock {
  #exchanges: { offsetMs: number; roundTripMs: number }[] = [];

  add(sentMs: number, hubMs: number, receivedMs: number): void {
    const roundTripMs = receivedMs - sentMs;
    if (!(roundTripMs >= 0)) return;
    this.#exchanges = [
      ...this.#exchanges.slice(1 - KEPT),
      { offsetMs: hubMs - (sentMs + receivedMs) / 2, roundTripMs },
    ];
  }

  get #best() {
    return this.#exchanges.reduce<{ offsetMs: number; roundTripMs: number } | null>(
      (best, one) => (best && best.roundTripMs <= one.roundTripMs ? best : one),
      null,
    );
  }

  /** The hub's time at a time here; null before the first exchange. */
  at(hereMs: number): number | null {
    return this.#best && hereMs + this.#best.offsetMs;
  }

  /** Null before the first exchange. */
  get roundTripMs(): number | null {
    return this.#exchanges.at(-1)?.roundTripMs ?? null;
  }
}
