import { demoDatabase, ownDatabase, type Database } from './database';
import { moveDemoOut } from './move-demo-out';
import { quarantineDamaged } from './quarantine';
import { BARE } from './rig-plan';
import { boathouse, PRACTICE_ID, practiceStudio } from './boathouse';
import type { Rig } from './records';
import { checkRig, rigSchema } from './rig-schema';

export const ownRig: Rig = {
  ...BARE,
  id: 'own',
  name: 'My studio',
  demo: false,
  bpm: 120,
  gear: [],
  input: { sourceId: 'none', label: 'No audio input yet', clickChannel: 0 },
};

/** On a first visit, creates the demo and an empty rig. Damaged rigs are quarantined and replaced. */
export async function ensureRigs(): Promise<void> {
  await moveDemoOut(ownDatabase(), demoDatabase());
  for (const rig of [boathouse(), ownRig]) {
    const kept = databaseOf(rig);
    await quarantineDamaged(kept, 'rigs');
    if (rig.demo ? !(await kept.rigs.get(rig.id)) : (await kept.rigs.count()) === 0) await kept.rigs.add(rig);
  }
}

function databaseOf({ demo }: Pick<Rig, 'demo'>): Database {
  return demo ? demoDatabase() : ownDatabase();
}

/** @throws ValidationError of yup if the rig is invalid. */
export async function saveRig(rig: Rig): Promise<void> {
  checkRig(rig);
  await storeRig(rig);
}

/** Stores an already validated rig. */
export async function storeRig(rig: Rig): Promise<void> {
  await databaseOf(rig).rigs.put(rig);
}

/** A stored rig; null if it is missing or damaged. */
export async function loadRig(id: string): Promise<Rig | null> {
  const stored = (await ownDatabase().rigs.get(id)) ?? (await demoDatabase().rigs.get(id));
  return stored && (await rigSchema.isValid(stored, { strict: true })) ? stored : null;
}

/** All rigs by name, the demo first. */
export async function listRigs(): Promise<{ id: string; name: string; demo: boolean }[]> {
  const rigs = [...(await demoDatabase().rigs.toArray()), ...(await ownDatabase().rigs.toArray())];
  const order = (a: Rig, b: Rig) => Number(b.demo) - Number(a.demo) || a.name.localeCompare(b.name);
  return rigs.sort(order).map(({ id, name, demo }) => ({ id, name, demo }));
}

/** The name, numbered if another rig has it. */
export async function freeRigName(wanted: string): Promise<string> {
  const taken = new Set((await listRigs()).map(({ name }) => name));
  let name = wanted;
  for (let number = 2; taken.has(name); number++) name = `${wanted.slice(0, 55)} ${number}`;
  return name;
}

/** Creates an empty rig under a unique name; returns its id. */
export async function createRig(wanted = 'New studio'): Promise<string> {
  const rig: Rig = { ...ownRig, id: crypto.randomUUID(), name: await freeRigName(wanted) };
  await saveRig(rig);
  return rig.id;
}

/** A practice studio with nothing wired; one that exists is replaced. Returns its id. */
export async function createPractice(): Promise<string> {
  await saveRig(practiceStudio());
  return PRACTICE_ID;
}

/** Its takes stay in the store, and reappear if it is restored. */
export async function deleteRig(id: string): Promise<void> {
  await ownDatabase().rigs.delete(id);
}

/** Resets the demo to its first-visit state, deleting its takes. */
export async function resetDemo(): Promise<void> {
  const demo = demoDatabase();
  await demo.transaction('rw', demo.tables, async () => {
    for (const table of demo.tables) await table.clear();
    await demo.rigs.add(boathouse());
  });
}
