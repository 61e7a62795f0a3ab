import fc from 'fast-check';
import { STANDING_CODES, type BeatTrigger, type Patch } from '../feed/feed-settings';
import type { SongSettings } from '../hub/hub';
import { HUB_ID, type Cable, type RigGear, type Socket } from '../rig/rig';
import { fromShelf, hubGear } from '../rig/shelf';
import type { FrameRate } from '../timecode/timecode';
import type { EveningSettings } from './evening';
import { ClockMachine, CodeMachine, type Machine } from './machines';

export const RATES: readonly FrameRate[] = ['24', '25', '29.97df', '30'];
const PORTS = 3;
const IN: Socket = { id: 'in', label: 'IN', direction: 'in', link: 'usb' };
const OUT: Socket = { id: 'out', label: 'OUT', direction: 'out', link: 'usb' };
const THRU: Socket = { id: 'thru', label: 'THRU', direction: 'thru', link: 'usb' };
const TRIGGER: BeatTrigger = {
  every: 1,
  sends: { kind: 'note', channel: 3, note: 40, velocity: 90 },
  atStart: { kind: 'controller', channel: 3, controller: 20, value: 1 },
  atStop: { kind: 'controller', channel: 3, controller: 20, value: 0 },
};
const PATCHES: readonly Patch[] = [0, 8, 40].map((fromBeat, program) => ({
  fromBeat,
  channel: 4,
  program,
  bank: 130,
  leadMs: 120,
}));
/** Triggers at several rates; none at first. */
export const TRIGGERS: readonly BeatTrigger[][] = [
  [],
  [TRIGGER],
  [{ ...TRIGGER, every: 1 / 4 }],
  [
    {
      ...TRIGGER,
      atStop: [
        { kind: 'note', channel: 3, note: 50, velocity: 90 },
        { kind: 'program', channel: 3, program: 7 },
      ],
      offBelowBpm: 100,
    },
  ],
  [TRIGGER, { every: 'bar', sends: { kind: 'steps', channel: 5, controller: 21, count: 4 } }],
];

export const gearChange = fc.record(
  {
    syncsTo: fc.constantFrom<RigGear['syncsTo']>('clock', 'clock', 'timecode', 'nothing'),
    rate: fc.constantFrom(...RATES),
    clockWhileStopped: fc.boolean(),
    offsetMs: fc.constantFrom(0, 0, -12.5, 30, -200, 450),
    clockRate: fc.constantFrom<0.5 | 1 | 2>(1, 1, 0.5, 2),
    mmc: fc.constantFrom(false, false, true),
    mayRecord: fc.boolean(),
    pauses: fc.boolean(),
    standingCode: fc.constantFrom(...STANDING_CODES),
    triggers: fc.constantFrom(...TRIGGERS),
    patches: fc.constantFrom<readonly Patch[]>([], [], PATCHES),
  },
  { requiredKeys: [] },
);

/** Where a cable into a device comes from: a port of the hub, or the thru of a device before it. */
export const origin = fc.oneof(fc.record({ port: fc.nat(PORTS - 1) }), fc.record({ thruOf: fc.nat(7) }));
export type Origin = { port: number } | { thruOf: number };

const follower = fc.record({
  change: gearChange,
  startStop: fc.constantFrom(true, true, true, false),
  songPosition: fc.constantFrom(true, true, false),
  isSplit: fc.constantFrom(false, false, false, true),
  from: origin,
});

const machine = fc.record({
  language: fc.constantFrom('clock', 'timecode'),
  bpm: fc.integer({ min: 60, max: 200 }),
  rate: fc.constantFrom(...RATES),
  /** The port of the hub whose cable runs back to it. */
  back: fc.option(fc.nat(PORTS - 1)),
  follows: fc.boolean(),
});

const bpm = fc.integer({ min: 40, max: 240 });
export const song: fc.Arbitrary<SongSettings> = fc
  .record({
    tempi: fc.array(fc.tuple(fc.integer({ min: 1, max: 12 }), bpm), { maxLength: 3 }),
    bpm,
    meter: fc.constantFrom([4, 4], [3, 4], [7, 8], [5, 4]),
    countInBars: fc.integer({ min: 0, max: 2 }),
    afterStop: fc.constantFrom('stay' as const, 'toStart' as const, 'toWherePlayBegan' as const),
  })
  .map(({ tempi, bpm: first, meter: [beatsPerBar = 4, beatUnit = 4], countInBars, afterStop }) => {
    let beat = 0;
    const later = tempi.map(([after, next]) => ({ beat: (beat += after), bpm: next }));
    return {
      tempo: [{ beat: 0, bpm: first }, ...later],
      meter: [{ bar: 1, beatsPerBar, beatUnit }],
      countInBars,
      afterStop,
    };
  });

/** Makes the same studio each time it is asked. */
export interface Studio {
  settings: () => EveningSettings;
  toString: () => string;
}

/** Random rigs: chains, splits, shared ports, machines that may lead, rates, offsets; and a song. */
export const studio: fc.Arbitrary<Studio> = fc
  .record({
    followers: fc.array(follower, { minLength: 1, maxLength: 6 }),
    machines: fc.array(machine, { maxLength: 2 }),
    hubFirst: fc.boolean(),
    song,
    hour: fc.nat(23),
    frames: fc.constantFrom(0, 0, 12, 29),
    seed: fc.nat(),
  })
  .map(({ followers, machines, hubFirst, song: played, hour, frames, seed }) => {
    const gear = followers.map(({ change, startStop, songPosition, isSplit }, i): RigGear => {
      if (isSplit) return { ...fromShelf('splitBox', `g${i}`), name: `g${i}`, sockets: [IN, OUT], syncsTo: 'nothing' };
      const box = fromShelf('beatBox', `g${i}`);
      const able = { ...box.able, startStop, songPosition, lead: false, timecode: RATES };
      return { ...box, name: `g${i}`, sockets: [IN, OUT, THRU], able, syncsTo: 'clock', ...change };
    });
    const leading = machines.map(({ follows }, i): RigGear => {
      const box = fromShelf('beatBox', `m${i}`);
      const set = { ...box.set, clockOut: true, clockSource: 'internal' as const };
      return { ...box, name: `m${i}`, sockets: [IN, OUT], set, syncsTo: follows ? 'clock' : 'nothing' };
    });
    const sockets = Array.from({ length: PORTS }, (_, i): Socket => ({ ...OUT, id: `p${i}`, portId: `p${i}` }));
    const ins = machines.map((_, i): Socket => ({ ...IN, id: `in m${i}`, portId: `in m${i}` }));
    const cables = [
      ...followers.map(({ from }, i) => cableInto(gear, i, from)),
      ...machines.map((_, i): Cable => cable(`m${i}`, 'out', HUB_ID, `in m${i}`)),
      ...machines.flatMap(({ back }, i) => (back === null ? [] : [cable(HUB_ID, `p${back}`, `m${i}`, 'in')])),
    ];
    const ids = leading.map(({ id }) => id);
    const rig = {
      gear: [hubGear([...sockets, ...ins]), ...gear, ...leading],
      cables,
      leaders: hubFirst || ids.length === 0 ? [HUB_ID, ...ids] : [...ids, HUB_ID],
    };
    const timecodeStart = { hours: hour, minutes: 0, seconds: 0, frames };
    const settings = () => {
      const made = machines.map(({ language, bpm: tempo, rate }, i): [string, Machine] => [
        `m${i}`,
        language === 'clock' ? new ClockMachine(tempo) : new CodeMachine(rate, timecodeStart),
      ]);
      return { rig, song: played, timecodeStart, machines: new Map(made), seed };
    };
    return {
      settings,
      toString: () =>
        JSON.stringify({ followers, machines, leaders: rig.leaders, song: played, timecodeStart }, null, 1),
    };
  });

/** A cable into the gear at an index; nobody is fed from behind itself. */
export function cableInto(gear: readonly RigGear[], index: number, from: Origin): Cable {
  const { id } = gear[index] as RigGear;
  const before = 'thruOf' in from && index > 0 ? gear[from.thruOf % index] : undefined;
  if (before) return cable(before.id, before.kind === 'splitBox' ? 'out' : 'thru', id, 'in');
  return cable(HUB_ID, `p${'port' in from ? from.port : 0}`, id, 'in');
}

function cable(gearId: string, socketId: string, toGear: string, toSocket: string): Cable {
  return {
    id: `${gearId}/${socketId} ${toGear}`,
    from: { gearId, socketId },
    to: { gearId: toGear, socketId: toSocket },
    notesPerSecond: 0,
  };
}
