import { fromShelf, HUB_ID, obstacleToCable, SHELF, type GearKind } from '@metronomo/core';
import { ValidationError } from 'yup';
import { FileError, parseJson, versioned } from './text-file';
import { confirmedPeer } from '../store/confirmed-peer';
import type { Rig } from '../store/records';
import { gear as newGear } from '../store/gear';
import { withNewNames, withOwnStreams } from '../store/renamed-fields';
import { BARE, planOf, withPorts } from '../store/rig-plan';
import { rigSchema } from '../store/rig-schema';
import { withExistingStart } from '../store/start-timecode';

const RIG_FILE_VERSION = 2;
const MAX_BYTES = 2_000_000;
const MAX_NAMED = 5;

/** A rig from a file, with notes on what had to be corrected. */
export interface OpenedRig {
  rig: Rig;
  notes: string[];
}

/** A rig as a file: versioned JSON. */
export function writeRigFile(rig: Rig): string {
  const peers = rig.peers?.map(confirmedPeer);
  return JSON.stringify({ metronomoRig: RIG_FILE_VERSION, rig: { ...rig, ...(peers && { peers }) } }, null, 2);
}

/**
 * A rig from a file, under a new id unless `asItIs`. Unknown device types become the generic type, with the original in
 * the comments; cables to missing sockets are dropped; both are reported.
 * @throws FileError with a message that names the place, if it can't be read. Nothing has changed then.
 */
export function readRigFile(text: string, { asItIs = false } = {}): OpenedRig {
  if (text.length > MAX_BYTES) throw new FileError('This file is too large for a rig. The limit is 2 MB.');
  const file = versioned(parseJson(text), 'metronomoRig', RIG_FILE_VERSION, 'rig file');
  const { rig: raw, metronomoRig: version } = file;
  if (typeof raw !== 'object' || raw === null || Array.isArray(raw))
    throw new FileError('This file contains no rig: “rig” is missing.');
  const notes: string[] = [];
  const given = raw as Partial<Rig>;
  const known = {
    ...filledIn(given, BARE),
    ...(asItIs ? {} : { id: crypto.randomUUID(), demo: false }),
  } as Rig;
  try {
    // Validate the schema first; the cabling check assumes a well-formed rig.
    const repaired = withExistingStart(known);
    if (repaired) notes.push(repaired.note);
    const { rig } = repaired ?? { rig: known };
    const whole = rigSchema.validateSync({ ...rig, gear: gearIn(rig.gear, version, notes) }, { strict: true }) as Rig;
    return { rig: withPorts(withoutLooseCables(withStrangers(whole, notes), notes)), notes };
  } catch (error) {
    if (error instanceof ValidationError)
      throw new FileError(`Invalid rig file (${error.path ?? 'rig'}): ${error.message}`);
    throw error;
  }
}

/** Defaults are appended and existing fields keep their order, so that an unchanged rig is exported byte for byte. */
function filledIn<Given extends object>(given: Given, standard: object): Given {
  const missing = Object.entries(standard).filter(([key]) => !(key in given));
  return { ...given, ...Object.fromEntries(missing) };
}

function gearIn(gear: unknown, version: unknown, notes: string[]): Rig['gear'] {
  if (!Array.isArray(gear)) throw new FileError('Invalid rig file: “rig.gear” isn’t a list.');
  const kinds = new Set<string>(SHELF.map(({ kind }) => kind));
  const all = gear.map((raw: unknown, i) => {
    const given = typeof raw === 'object' && raw !== null ? raw : {};
    const one = (version === 1 ? withNewNames(given) : given) as Partial<Rig['gear'][number]>;
    const { id, name } = one;
    if (typeof id !== 'string' || typeof name !== 'string')
      throw new FileError(`Invalid rig file: rig.gear[${i}] has no id or name.`);
    const unknown = !kinds.has(String(one.kind));
    const kind: GearKind = unknown ? 'other' : (one.kind ?? 'other');
    if (unknown)
      notes.push(
        `${name}: unknown device type (${String(one.kind).slice(0, 40)}), imported as “${fromShelf('other', '').name}”.`,
      );
    const said = unknown ? `${one.notes ?? ''} (type: ${String(one.kind).slice(0, 40)})`.trim() : (one.notes ?? '');
    return { ...filledIn(one as Rig['gear'][number], newGear({ id, name, kind })), kind, notes: said };
  });
  return version === 1 ? withOwnStreams(all) : all;
}

/** Whoever wrote the file mustn't decide who this computer talks to. */
function withStrangers(rig: Rig, notes: string[]): Rig {
  if (!rig.peers || rig.peers.length === 0) return rig;
  const names = rig.peers.slice(0, MAX_NAMED).map(({ name }) => name);
  const more = rig.peers.length > names.length ? ` and ${rig.peers.length - names.length} more` : '';
  notes.push(
    `Network peers in the file stay disconnected until you confirm them in Rig, under Ports: ${names.join(', ')}${more}.`,
  );
  return { ...rig, peers: rig.peers.map((peer) => ({ ...peer, fromFile: true })) };
}

/** Disconnected ports are kept: they work again when they are reconnected. */
function withoutLooseCables(rig: Rig, notes: string[]): Rig {
  const cables: Rig['cables'] = [];
  for (const cable of rig.cables) {
    const problem = obstacleToCable(planOf({ ...rig, cables }), cable);
    if (problem === null) cables.push(cable);
    else notes.push(`One cable wasn’t imported. ${problem}`);
  }
  const known = new Set([HUB_ID, ...rig.gear.map(({ id }) => id)]);
  const leaders = rig.leaders.filter((id) => known.has(id));
  return { ...rig, cables, leaders: leaders.length > 0 ? leaders : [HUB_ID] };
}
