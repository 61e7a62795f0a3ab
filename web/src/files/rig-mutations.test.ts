import 'fake-indexeddb/auto';
import { Hub, lineCheck, planWires } from '@metronomo/core';
import fc from 'fast-check';
import { planOffsets } from '../align/align-rows';
import { boathouse } from '../store/boathouse';
import type { Rig } from '../store/records';
import { planOf } from '../store/rig-plan';
import { rigSchema } from '../store/rig-schema';
import { settingsFor } from '../studio/hub-plan';
import { factsOf, songTimecode } from '../studio/song-facts';
import { readRigFile } from './rig-file';
import { FileError } from './text-file';

jest.mock('../studio/workers', () => ({ hub: {} }));

type Path = (string | number)[];
type Json = Record<string | number, unknown>;

const PAIRS = 1000;

/** Small, with at least one of everything. */
function example(): Rig {
  const demo = boathouse();
  const gear = demo.gear.filter(({ id }) => id === 'porch' || id === 'vole');
  const ids = new Set(['hub', ...gear.map(({ id }) => id)]);
  const socket = demo.hubSockets[0]!.id;
  const note = { kind: 'note', channel: 10, note: 36, velocity: 100 } as const;
  return {
    ...demo,
    gear: gear.map((one) => ({
      ...one,
      changedAt: 1,
      triggers: [{ id: 't', every: 1 / 4, sends: note, atStart: note, inSections: {} }] as never,
    })),
    cables: demo.cables.filter(({ from, to }) => ids.has(from.gearId) && ids.has(to.gearId)),
    song: { ...demo.song, sections: demo.song.sections.slice(0, 1) },
    routes: [
      {
        ...{ id: 'r', from: socket, to: socket, fromChannel: null, toChannel: 2 },
        passes: { notes: true, controllers: true, programs: true, bends: true },
      },
    ],
    tested: { 'porch out': { kind: 'note', answer: 'sound', at: 1 } } as never,
    accepted: { finding: 'reason' },
    align: { ...demo.align, target: { id: 'porch' }, locked: ['vole'] },
    peers: [{ key: 'jetty', name: 'Jetty', address: '192.0.2.7', port: 5004, weInvite: true, bufferMs: 30 }],
  };
}

const text = JSON.stringify({ metronomoRig: 2, rig: example() });
const fresh = () => JSON.parse(text) as Json;

/** Every place in the file; of a list, the first two entries. */
function pathsIn(value: unknown, path: Path = []): Path[] {
  if (typeof value !== 'object' || value === null) return [path];
  const entries = Array.isArray(value) ? [...value.entries()].slice(0, 2) : Object.entries(value);
  return [path, ...entries.flatMap(([key, one]) => pathsIn(one, [...path, key]))];
}
const paths = pathsIn(fresh()).filter(({ length }) => length > 1);

const GONE = Symbol('deleted');
const VALUES: unknown[] = [GONE, null, 'x', '', -1, 1e9, 0.5, true, [], {}, [null], { id: 1 }];

function change(file: Json, path: Path, value: unknown): void {
  const last = path.at(-1)!;
  let at: unknown = file;
  for (const key of path.slice(0, -1)) at = typeof at === 'object' && at !== null ? (at as Json)[key] : undefined;
  if (typeof at !== 'object' || at === null) return;
  if (value === GONE) Reflect.deleteProperty(at, last);
  else (at as Json)[last] = value;
}

/** All that the app does with a rig when it starts and plays. */
function playWith(rig: Rig): void {
  rigSchema.validateSync(rig, { strict: true });
  lineCheck(planOf(rig));
  planWires(planOf(rig));
  planOffsets(rig, []);
  factsOf(rig.song, rig.bpm);
  songTimecode(rig.song, 1000);
  if (rig.input.sourceId.startsWith('audio:') && rig.input.clickChannel > 63) throw new Error('no such input');
  if (!['steady', 'quick'].includes(rig.following.response)) throw new Error('no such response');
  const { song, feeds, sources, routes, leaders } = settingsFor(rig, {});
  const hub = new Hub({ bpm: rig.bpm });
  hub.advance(0, 20);
  hub.setSong(song);
  hub.setFeeds(feeds);
  hub.setSources(sources);
  hub.setRoutes(routes);
  hub.setLeaders(leaders.order, leaders.takeOver);
  hub.command({ kind: 'play' });
  for (let ms = 10; ms < 1500; ms += 10) hub.advance(ms, 20);
}

/** What happened to a file: refused with a place, opened, or neither. */
function outcome(file: Json): string | null {
  let rig: Rig;
  try {
    rig = readRigFile(JSON.stringify(file)).rig;
  } catch (error) {
    if (!(error instanceof FileError)) return `threw ${String(error)}`;
    return /rig/.test(error.message) && error.message.length < 400 ? null : `said “${error.message.slice(0, 200)}”`;
  }
  try {
    playWith(rig);
    return null;
  } catch (error) {
    return `opened, and then ${String(error).slice(0, 200)}`;
  }
}

test('the unchanged file opens, and the app can use it', () => {
  const { rig, notes } = readRigFile(text);
  expect(notes).toHaveLength(1);
  playWith(rig);
});

test('every place of a rig file, deleted or of another kind: refused with its place, or it works', () => {
  const faults: string[] = [];
  // Half the values at each place, the other half at the next.
  for (const [at, path] of paths.entries())
    for (const value of VALUES.filter((_, i) => (at + i) % 2 === 0)) {
      const file = fresh();
      change(file, path, value);
      const fault = outcome(file);
      if (fault) faults.push(`${path.join('.')} = ${String(JSON.stringify(value))}: ${fault}`);
    }
  expect(faults).toEqual([]);
});

test('any two places changed together: refused with a place, or it works', () => {
  const one = fc.tuple(fc.constantFrom(...paths), fc.constantFrom(...VALUES));
  const faults = fc.sample(fc.tuple(one, one), { seed: 1, numRuns: PAIRS }).flatMap((changes) => {
    const file = fresh();
    for (const [path, value] of changes) change(file, path, value);
    const fault = outcome(file);
    const inWords = changes.map(([path, value]) => `${path.join('.')} = ${String(JSON.stringify(value))}`);
    return fault ? [`${inWords.join(', ')}: ${fault}`] : [];
  });
  expect(faults).toEqual([]);
});

test('a time that can’t be shown is refused', () => {
  const [porch, ...others] = example().gear;
  const rig = { ...example(), gear: [{ ...porch, changedAt: 9e15 }, ...others] };
  expect(outcome({ metronomoRig: 2, rig })).toBeNull();
  expect(() => readRigFile(JSON.stringify({ metronomoRig: 2, rig }))).toThrow(/changedAt/);
});
