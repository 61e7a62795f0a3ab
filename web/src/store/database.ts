import Dexie, { type EntityTable, type Table } from 'dexie';
import { gear } from './gear';
import { BARE, upgraded } from './rig-plan';
import type { Calibration, ClockTake, OffsetSet, Rig, SoundChunk, Take, TickChunk } from './records';

/** Everything kept in the browser; the one place where tables, indexes and versions stand. */
class Database extends Dexie {
  rigs!: EntityTable<Rig, 'id'>;
  takes!: EntityTable<Take, 'id'>;
  sound!: Table<SoundChunk, [string, number]>;
  clockTakes!: EntityTable<ClockTake, 'id'>;
  ticks!: Table<TickChunk, [string, number]>;
  offsetSets!: EntityTable<OffsetSet, 'id'>;
  calibrations!: Table<Calibration, [string, number]>;

  constructor() {
    super('metronomo');
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
  }
}

export const database = new Database();
