/** Whether an error means that there is no room left in the browser's storage. */
export function isStorageFull(error: unknown): boolean {
  if (!(error instanceof Error)) return false;
  return /QuotaExceeded/.test(`${error.name} ${error.message}`) || ('inner' in error && isStorageFull(error.inner));
}

/** A table of records with an id, as Dexie has them. */
interface Updatable {
  update(id: string, changes: never): PromiseLike<number>;
}

interface Held {
  table: Updatable;
  changes: object;
}

/** Changes that storage has no room for, by record id. */
const held = new Map<string, Held>();

/** Updates a record. Without room for it, the record is read with the changes until they can be saved. */
export async function updateOrHold(table: Updatable, id: string, changes: object): Promise<void> {
  try {
    await table.update(id, changes as never);
    held.delete(id);
  } catch {
    held.set(id, { table, changes: { ...held.get(id)?.changes, ...changes } });
  }
}

/** The record as read, with what couldn't be saved yet. */
export function withUnsaved<Row extends { id: string }>(row: Row | undefined): Row | undefined {
  const changes = row && held.get(row.id)?.changes;
  return row && changes ? { ...row, ...changes } : row;
}

/** Tries again, as after takes were deleted. */
export async function saveHeld(): Promise<void> {
  for (const [id, { table, changes }] of [...held]) await updateOrHold(table, id, changes);
}
