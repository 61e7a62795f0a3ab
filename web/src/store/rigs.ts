import { demoDatabase, ownDatabase, type Database } from './database';
import { moveDemoOut } from './move-demo-out';
import { setDamagedAside } from './set-aside';
import { BARE } from './rig-plan';
import { boathouse } from './boathouse';
import type { Rig } from './records';
import { checkRig, rigSchema } from './rig-schema';

const ownRig: Rig = {
  ...BARE,
  id: 'own',
  name: 'My studio',
  demo: false,
  bpm: 120,
  gear: [],
  input: { sourceId: 'none', label: 'No audio input yet', clickChannel: 0 },
};

/**
 * A first visit finds the demo wired and playing, and an empty rig of one's own beside it. What is damaged is set aside, and what
 * stood there begins anew.
 */
export async function ensureRigs(): Promise<void> {
  await moveDemoOut(ownDatabase(), demoDatabase());
  for (const rig of [boathouse(), ownRig]) {
    const kept = databaseOf(rig);
    await setDamagedAside(kept, 'rigs');
    if (rig.demo ? !(await kept.rigs.get(rig.id)) : (await kept.rigs.count()) === 0) await kept.rigs.add(rig);
  }
}

function databaseOf({ demo }: Pick<Rig, 'demo'>): Database {
  return demo ? demoDatabase() : ownDatabase();
}

/** @throws ValidationError of yup when the rig holds something it cannot. */
export async function saveRig(rig: Rig): Promise<void> {
  checkRig(rig);
  await storeRig(rig);
}

/** One that was found good already. */
export async function storeRig(rig: Rig): Promise<void> {
  await databaseOf(rig).rigs.put(rig);
}

/** A rig from the store; null where there is none that is whole. */
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

/** The name, with a number behind it where another rig has it. */
export async function freeRigName(wanted: string): Promise<string> {
  const taken = new Set((await listRigs()).map(({ name }) => name));
  let name = wanted;
  for (let number = 2; taken.has(name); number++) name = `${wanted.slice(0, 55)} ${number}`;
  return name;
}

/** An empty rig under a name that none has yet; gives its id. */
export async function createRig(wanted = 'New studio'): Promise<string> {
  const rig: Rig = { ...ownRig, id: crypto.randomUUID(), name: await freeRigName(wanted) };
  await saveRig(rig);
  return rig.id;
}

/** Its takes stay in the store, and are there again if it is put back. */
export async function deleteRig(id: string): Promise<void> {
  await ownDatabase().rigs.delete(id);
}

/** The demo as on a first visit, with nothing that was measured in it. */
export async function resetDemo(): Promise<void> {
  const demo = demoDatabase();
  await demo.transaction('rw', demo.tables, async () => {
    for (const table of demo.tables) await table.clear();
    await demo.rigs.add(boathouse());
  });
}
