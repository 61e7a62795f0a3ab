/** Fields of a device that had other names up to rig file version 1 and database version 7. */
const NEW_NAMES = new Map([
  ['takes', 'syncsTo'],
  ['gives', 'leadsWith'],
]);

/** The device with today's field names, in the same order. Values stored under an old name win over defaults. */
export function withNewNames<Stored extends object>(stored: Stored): Stored {
  const replaced = new Set(Object.keys(stored).map((key) => NEW_NAMES.get(key)));
  const entries = Object.entries(stored).filter(([key]) => !replaced.has(key));
  return Object.fromEntries(entries.map(([key, value]) => [NEW_NAMES.get(key) ?? key, value as unknown])) as Stored;
}
