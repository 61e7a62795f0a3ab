import { fromShelf, HUB_ID, obstacleToCable, SHELF, type GearKind } from '@metronomo/core';
import { ValidationError } from 'yup';
import { FileError, parseJson, versioned } from './text-file';
import type { Rig } from '../store/records';
import { gear as newGear } from '../store/gear';
import { BARE, planOf } from '../store/rig-plan';
import { rigSchema } from '../store/rig-schema';

const RIG_FILE_VERSION = 1;
const MOST_BYTES = 2_000_000;

/** A rig as it came out of a file, and what had to be set right on the way, in words. */
export interface OpenedRig {
  rig: Rig;
  notes: string[];
}

/** A rig as a file: JSON, with the version of what it holds. */
export function writeRigFile(rig: Rig): string {
  return JSON.stringify({ metronomoRig: RIG_FILE_VERSION, rig }, null, 2);
}

/**
 * A rig from a file, under a new id, or `asItIs`. Gear of a kind that is not known here is kept as something else, with its kind in its
 * notes; cables to sockets that are missing are left out; both are told.
 * @throws FileError in words, with the place in the file, when it cannot be read. Nothing has changed then.
 */
export function readRigFile(text: string, { asItIs = false } = {}): OpenedRig {
  if (text.length > MOST_BYTES) throw new FileError('This file is too large for a rig: 2 MB at the most.');
  const { rig: raw } = versioned(parseJson(text), 'metronomoRig', RIG_FILE_VERSION, 'rig file');
  if (typeof raw !== 'object' || raw === null || Array.isArray(raw))
    throw new FileError('This file holds no rig: “rig” is missing.');
  const notes: string[] = [];
  const given = raw as Partial<Rig>;
  const known = {
    ...filledIn(given, BARE),
    ...(asItIs ? {} : { id: crypto.randomUUID(), demo: false }),
  } as Rig;
  try {
    // Its shape first: what is wired to what is asked only of a rig whose every part is what it should be.
    const whole = rigSchema.validateSync({ ...known, gear: gearIn(known.gear, notes) }, { strict: true }) as Rig;
    return { rig: withoutLooseCables(whole, notes), notes };
  } catch (error) {
    if (error instanceof ValidationError) throw new FileError(`In this file, ${error.path ?? 'rig'}: ${error.message}`);
    throw error;
  }
}

/** What is missing is added at the end: what is there stays in its order, so that a rig that goes out again is the same. */
function filledIn<Given extends object>(given: Given, standard: object): Given {
  const missing = Object.entries(standard).filter(([key]) => !(key in given));
  return { ...given, ...Object.fromEntries(missing) };
}

function gearIn(gear: unknown, notes: string[]): Rig['gear'] {
  if (!Array.isArray(gear)) throw new FileError('This file holds no gear: “rig.gear” is no list.');
  const kinds = new Set<string>(SHELF.map(({ kind }) => kind));
  return gear.map((raw: unknown, i) => {
    const one = (typeof raw === 'object' && raw !== null ? raw : {}) as Partial<Rig['gear'][number]>;
    const { id, name } = one;
    if (typeof id !== 'string' || typeof name !== 'string')
      throw new FileError(`In this file, rig.gear[${i}] has no id or no name.`);
    const unknown = !kinds.has(String(one.kind));
    const kind: GearKind = unknown ? 'other' : (one.kind ?? 'other');
    if (unknown)
      notes.push(
        `${name} is of a kind that is not known here (${String(one.kind).slice(0, 40)}); it is kept as “${fromShelf('other', '').name}”.`,
      );
    const said = unknown ? `${one.notes ?? ''} (kind: ${String(one.kind).slice(0, 40)})`.trim() : (one.notes ?? '');
    return { ...filledIn(one as Rig['gear'][number], newGear({ id, name, kind })), kind, notes: said };
  });
}

/** Ports that are not here are kept: they stand as gone, and work when they come back. */
function withoutLooseCables(rig: Rig, notes: string[]): Rig {
  const cables: Rig['cables'] = [];
  for (const cable of rig.cables) {
    const problem = obstacleToCable(planOf({ ...rig, cables }), cable);
    if (problem === null) cables.push(cable);
    else notes.push(`A cable was left out. ${problem}`);
  }
  const known = new Set([HUB_ID, ...rig.gear.map(({ id }) => id)]);
  const leaders = rig.leaders.filter((id) => known.has(id));
  return { ...rig, cables, leaders: leaders.length > 0 ? leaders : [HUB_ID] };
}
