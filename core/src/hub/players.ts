interface Player {
  readonly sinceMs: number;
  /** It plays along with the hub, or was stopped here while it played on: it doesn't lead until it starts anew. */
  passedOver: boolean;
}

/** Who plays by themselves, and since when: whoever played first leads. */
export class Players {
  readonly #players = new Map<string, Player>();

  /** `playing`: everyone who plays now; `follows`: whether somebody who starts now only follows the hub. */
  update(nowMs: number, playing: readonly string[], follows: (id: string) => boolean): void {
    for (const id of this.#players.keys()) if (!playing.includes(id)) this.#players.delete(id);
    for (const id of playing)
      if (!this.#players.has(id)) this.#players.set(id, { sinceMs: nowMs, passedOver: follows(id) });
  }

  /** The musician stopped: nobody who plays on takes over. */
  passOver(): void {
    for (const player of this.#players.values()) player.passedOver = true;
  }

  /** Those who may lead, in the order in which they began to play. */
  get inOrder(): string[] {
    const able = [...this.#players].filter(([, { passedOver }]) => !passedOver);
    return able.sort(([, a], [, b]) => a.sinceMs - b.sinceMs).map(([id]) => id);
  }
}
