/** Fields of a device that had other names up to rig file version 1 and database version 7. */
const NEW_NAMES = new Map([
  ['takes', 'syncsTo'],
  ['gives', 'leadsWith'],
]);

/** A device as it was stored while it could repeat another one's sync stream on its own port. */
interface Shared {
  id: string;
  sharesFeedOf?: string | null;
}
const STREAM = ['syncsTo', 'rate', 'sends', 'mmc', 'clockRate', 'clockWhileStopped', 'triggers', 'offsetMs'];

/** The gear without shared streams: who repeated another one's stream gets that one's settings, so is sent the same. */
export function withOwnStreams<Stored extends Shared>(gear: readonly Stored[]): Stored[] {
  return gear.map((one) => {
    const { sharesFeedOf, ...rest } = one;
    const other = gear.find(({ id }) => id === sharesFeedOf);
    const shares = other && !other.sharesFeedOf;
    const stream = shares ? Object.entries(other).filter(([key]) => STREAM.includes(key)) : [];
    return { ...rest, ...Object.fromEntries(stream) } as Stored;
  });
}

/** The device with today's field names, in the same order. Values stored under an old name win over defaults. */
export function withNewNames<Stored extends object>(stored: Stored): Stored {
  const replaced = new Set(Object.keys(stored).map((key) => NEW_NAMES.get(key)));
  const entries = Object.entries(stored).filter(([key]) => !replaced.has(key));
  return Object.fromEntries(entries.map(([key, value]) => [NEW_NAMES.get(key) ?? key, value as unknown])) as Stored;
}
