import Dexie, { type EntityTable, type Table } from 'dexie';
import { gear } from './gear';
import { BARE, upgraded } from './rig-plan';
import { indexedAs } from './take-kind';
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

/** What is the demo's is kept by itself, and never with one's own. */
export const DEMO_DATA = 'metronomo-demo';
const FIRST_OWN_DATA = 'metronomo';
const NAME_KEY = 'metronomo.data';

/** Everything kept in the browser; the one place where tables, indexes and versions stand. */
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
    // Rigs know sockets and cables from here on.
    this.version(2).upgrade((transaction) =>
      transaction
        .table<Rig, string>('rigs')
        .toCollection()
        .modify((rig) => {
          Object.assign(
            rig,
            upgraded(rig, ({ id, name, returnChannel, ...one }) => ({ ...gear({ id, name, returnChannel }), ...one })),
          );
        }),
    );
    // Rigs know audio outs, pictures, checklists, routes, line tests and how time is followed.
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
    // Rigs know what they are aligned onto from here on.
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
    // The logbook lists by kind and gear from here on, and knows what happened besides the takes.
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
  }
}

const open = new Map<string, Database>();

export function databaseNamed(name: string): Database {
  const known = open.get(name) ?? new Database(name);
  open.set(name, known);
  return known;
}

/** The name of what is one's own: another after everything was replaced. A worker has to be told. */
export function ownDataName(): string {
  return globalThis.localStorage?.getItem(NAME_KEY) ?? FIRST_OWN_DATA;
}

/** From the next load on, this is one's own. */
export function nameOwnData(name: string): void {
  localStorage.setItem(NAME_KEY, name);
}

export const ownDatabase = (): Database => databaseNamed(ownDataName());
export const demoDatabase = (): Database => databaseNamed(DEMO_DATA);

/** Where what belongs to the rig in use is kept. Nothing is taken while another rig is taken up. */
export let database = ownDatabase();

/** The rig in use is kept there from now on. */
export function keepIn(name: string): void {
  database = databaseNamed(name);
}
