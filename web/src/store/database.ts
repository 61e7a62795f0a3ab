import Dexie, { type EntityTable, type Table } from 'dexie';
import { gear } from './gear';
import { withNewNames, withOwnStreams } from './renamed-fields';
import { BARE, upgradeRig, withPorts } from './rig-plan';
import { withExistingStart } from './start-timecode';
import { indexedAs } from './take-kind';
import { withUnsaved } from './unsaved';
import type {
  Calibration,
  CapturedPiece,
  CapturedStream,
  ClockTake,
  HistoryEvent,
  OffsetSet,
  Rig,
  SetAside,
  SoundChunk,
  Take,
  TickChunk,
} from './records';

/** Database of the demo, separate from your own data. */
export const DEMO_DATA = 'metronomo-demo';
const FIRST_OWN_DATA = 'metronomo';
const NAME_KEY = 'metronomo.data';

/** Everything stored in the browser; the single place for tables, indexes and versions. */
export class Database extends Dexie {
  rigs!: EntityTable<Rig, 'id'>;
  takes!: EntityTable<Take, 'id'>;
  sound!: Table<SoundChunk, [string, number]>;
  clockTakes!: EntityTable<ClockTake, 'id'>;
  ticks!: Table<TickChunk, [string, number]>;
  offsetSets!: EntityTable<OffsetSet, 'id'>;
  calibrations!: Table<Calibration, [string, number]>;
  events!: EntityTable<HistoryEvent, 'id'>;
  streams!: EntityTable<CapturedStream, 'id'>;
  pieces!: Table<CapturedPiece, [string, number]>;
  setAside!: EntityTable<SetAside, 'number'>;

  constructor(name: string) {
    super(name);
    this.version(1).stores({
      rigs: 'id',
      takes: 'id, [rigId+startedAt]',
      sound: '[takeId+index]',
    });
    // Since this version rigs have sockets and cables.
    this.version(2).upgrade((transaction) =>
      transaction
        .table<Rig, string>('rigs')
        .toCollection()
        .modify((rig) => {
          Object.assign(
            rig,
            upgradeRig(rig, ({ id, name, returnChannel, ...one }) => ({
              ...gear({ id, name, returnChannel }),
              ...one,
            })),
          );
        }),
    );
    // Since this version rigs have audio outs, icons, checklists, routes, line tests and sync settings.
    this.version(3).upgrade((transaction) =>
      transaction
        .table<Rig, string>('rigs')
        .toCollection()
        .modify((rig) => {
          const full = rig.gear.map((one) => {
            const { id, name, kind, returnChannel } = one;
            return { ...gear({ id, name, kind, returnChannel }), ...one };
          });
          Object.assign(rig, { ...BARE, ...rig, gear: full });
        }),
    );
    this.version(4).stores({ clockTakes: 'id, [rigId+startedAt]', ticks: '[takeId+index]' });
    this.version(5).stores({ calibrations: '[input+sampleRate]' });
    // Since this version rigs have an alignment target.
    this.version(6)
      .stores({ offsetSets: 'id, [rigId+savedAt]' })
      .upgrade((transaction) =>
        transaction
          .table<Rig, string>('rigs')
          .toCollection()
          .modify((rig) => {
            Object.assign(rig, { ...BARE, ...rig });
          }),
      );
    // Since this version the Logbook is indexed by kind and device, and contains events beside takes.
    this.version(7)
      .stores({
        takes: 'id, [rigId+startedAt], [rigId+kind+startedAt], *gearIds, status',
        clockTakes: 'id, [rigId+startedAt], *gearIds, status',
        events: 'id, [rigId+kind+at], *gearIds',
        streams: 'id, [rigId+startedAt]',
        pieces: '[streamId+index]',
        setAside: '++number',
      })
      .upgrade(async (transaction) => {
        await transaction
          .table<Take, string>('takes')
          .toCollection()
          .modify((take) => {
            Object.assign(take, indexedAs(take));
          });
        const rigs = await transaction.table<Rig, string>('rigs').toArray();
        const gearNamed = ({ rigId, name }: ClockTake) =>
          rigs.find(({ id }) => id === rigId)?.gear.filter((one) => one.name === name) ?? [];
        await transaction
          .table<ClockTake, string>('clockTakes')
          .toCollection()
          .modify((take) => {
            take.gearIds = gearNamed(take).map(({ id }) => id);
          });
      });
    // Since this version the start timecode exists at the song's frame rate, what a device syncs to, and what it sends as a leader, are named so, and what leaves a port
    // follows from the cables.
    this.version(8).upgrade(async (transaction) => {
      const said: { rigId: string; note: string }[] = [];
      await transaction
        .table<Rig, string>('rigs')
        .toCollection()
        .modify((rig) => {
          const gear = withOwnStreams(rig.gear.map(withNewNames));
          const repaired = withExistingStart({ ...rig, gear });
          if (repaired) said.push({ rigId: rig.id, note: repaired.note });
          Object.assign(rig, withPorts(repaired?.rig ?? { ...rig, gear }));
        });
      for (const { rigId, note } of said)
        await transaction
          .table<HistoryEvent, string>('events')
          .add({ id: crypto.randomUUID(), rigId, at: Date.now(), kind: 'rig', lines: [note], gearIds: [] });
    });
    for (const table of [this.takes, this.clockTakes]) table.hook('reading', withUnsaved);
  }
}

const open = new Map<string, Database>();

export function databaseNamed(name: string): Database {
  const known = open.get(name) ?? new Database(name);
  open.set(name, known);
  return known;
}

/** Name of your own database; changes when all data is replaced. Workers have to be told. */
export function ownDataName(): string {
  return globalThis.localStorage?.getItem(NAME_KEY) ?? FIRST_OWN_DATA;
}

/** Takes effect on the next load. */
export function nameOwnData(name: string): void {
  localStorage.setItem(NAME_KEY, name);
}

export const ownDatabase = (): Database => databaseNamed(ownDataName());
export const demoDatabase = (): Database => databaseNamed(DEMO_DATA);

/** Name of the database that a rig's takes are kept in. */
export function databaseNameOf({ demo }: Pick<Rig, 'demo'>): string {
  return demo ? DEMO_DATA : ownDataName();
}

/** The database of the current rig. No take is recorded while the rig is being switched. */
export let database = ownDatabase();

/** Switches the database of the current rig. */
export function keepIn(name: string): void {
  database = databaseNamed(name);
}
