import {
  array,
  boolean,
  lazy,
  mixed,
  number,
  object,
  string,
  tuple,
  type ObjectSchema,
  type ObjectShape,
  type Schema,
} from 'yup';
import {
  CONTROL_DEEDS,
  FASTEST_BPM,
  MAX_NUDGE,
  MAX_OFFSET_MS,
  SLOWEST_BPM,
  STANDING_CODES,
  TRIGGER_STEPS,
  type Cable,
  type Socket,
} from '@metronomo/core';
import {
  MAX_DEVICE_OFFSETS,
  MAX_OFFSET_STEP,
  MAX_OWN_OFFSET,
  OFFSET_DEPENDS_ON,
  OFFSET_SHIFTS,
} from './device-offsets';
import type { Gear, Rig } from './records';
import { isEpoch } from './record-schemas';
import { startExists } from './start-timecode';

const channel = number().integer().min(0).max(63);

const RATES = ['24', '25', '29.97df', '30'] as const;
const LINKS = ['din', 'usb', 'loopback', 'network', 'tablet'] as const;
const KINDS = [
  ...['beatBox', 'synthesizer', 'sampler', 'recorder', 'audioProgram'],
  ...['tablet', 'lightingDesk', 'effect', 'splitBox', 'keyboard', 'other'],
] as Gear['kind'][];
/** A nested object that has to be there: without `required`, a missing one is valid. */
const whole = <Fields extends ObjectShape>(fields: Fields) => object(fields).required();
const id = () => string().required().max(300);
const flag = () => boolean().required();
const moment = () => mixed((value): value is number => value === undefined || isEpoch(value));
const ownOffsetShape = {
  own: number().required().min(-MAX_OWN_OFFSET).max(MAX_OWN_OFFSET),
  unit: string()
    .required()
    .oneOf(['ms', 'samples', 'ticks'] as const),
  plusIs: string()
    .required()
    .oneOf(['later', 'earlier'] as const),
  step: number().required().min(0).max(MAX_OFFSET_STEP),
  sampleRate: number().min(8000).max(384_000),
};

const socketSchema: ObjectSchema<Socket> = object({
  id: id(),
  label: string().required().max(40),
  direction: string()
    .required()
    .oneOf(['in', 'out', 'thru'] as const),
  link: string().required().oneOf(LINKS),
  portId: string().nullable().max(300),
  shared: boolean(),
  sendsToLeader: boolean(),
  obeys: boolean(),
});

const endSchema = whole({ gearId: id(), socketId: id() });

const cableSchema: ObjectSchema<Cable> = object({
  id: id(),
  from: endSchema,
  to: endSchema,
  notesPerSecond: number().required().min(0).max(10_000),
});

const level = () => number().integer().required().min(0).max(127);
const midiChannel = () => number().integer().min(1).max(16);

const routeSchema = object({
  id: id(),
  from: id(),
  to: id(),
  fromChannel: midiChannel().defined().nullable(),
  toChannel: midiChannel().defined().nullable(),
  range: tuple([level(), level()]).nullable().default(undefined),
  passes: whole({ notes: flag(), controllers: flag(), programs: flag(), bends: flag() }),
});

const signalSchema = lazy((value?: { kind?: string }) => {
  const kind = string().required();
  switch (value?.kind) {
    case 'note':
      return object({ kind, channel: midiChannel().required(), note: level() });
    case 'controller':
      return object({ kind, channel: midiChannel().required(), controller: level() });
    case 'program':
      return object({ kind, channel: midiChannel().required(), program: level() });
    case 'machine':
      return object({ kind, command: string().required().max(20) });
    default:
      return object({
        kind: string().required().equals(['transport']),
        message: string()
          .required()
          .oneOf(['start', 'continue', 'stop'] as const),
      }).required();
  }
});

const controlSchema = object({
  id: id(),
  socketId: id(),
  signal: signalSchema,
  does: string().required().oneOf(CONTROL_DEEDS),
  gearId: string().max(300),
  triggerId: string().max(300),
  share: number().min(0.001).max(MAX_NUDGE),
});

const TEST_KINDS = ['clock burst', 'note', 'identity request', 'full frame', 'machine control'] as const;
const testSchema = object({
  kind: string().required().oneOf(TEST_KINDS),
  answer: string()
    .required()
    .oneOf(['sound', 'midi', 'seen', 'nothing'] as const),
  at: number().required(),
});

/** An object used as a map: up to this many entries that match the schema. */
const table = (entry: Schema, most: number) =>
  object()
    .required()
    .test('entries', '${path} has too many entries or an invalid one.', (value: object) => {
      const entries = Object.entries(value);
      return (
        entries.length <= most &&
        entries.every(([key, one]) => key.length <= 300 && entry.isValidSync(one, { strict: true }))
      );
    });

const factsSchema = {
  kind: string().required().oneOf(KINDS),
  notes: string().defined().max(2000),
  sockets: array().of(socketSchema).required().max(32),
  audioOuts: array()
    .of(object({ label: string().required().max(40), input: channel.defined().nullable() }))
    .required()
    .max(16),
  able: whole({
    lead: flag(),
    follow: flag(),
    clock: flag(),
    songPosition: flag(),
    startStop: flag(),
    timecode: array().of(string().required().oneOf(RATES)).required().max(4),
    mmc: flag(),
    showsTempo: flag(),
    fromTopOnly: flag(),
    destinations: number().integer().defined().nullable().min(1).max(64),
    rearms: flag(),
    turnsTempo: flag(),
  }),
  set: whole({
    clockSource: string()
      .required()
      .oneOf(['internal', 'external', 'automatic'] as const),
    clockIn: flag(),
    clockOut: flag(),
    thru: flag(),
    local: flag(),
    channels: array().of(midiChannel().required()).required().max(16),
  }),
  syncsTo: string()
    .required()
    .oneOf(['clock', 'timecode', 'nothing'] as const),
  rate: string().required().oneOf(RATES),
  leadsWith: string()
    .required()
    .oneOf(['clock', 'timecode'] as const),
  offset: whole({
    where: string()
      .required()
      .oneOf(['hub', 'own'] as const),
    ...ownOffsetShape,
  }),
};

const moreOffsetsSchema = array()
  .of(
    object({
      id: id(),
      shifts: string().required().oneOf(OFFSET_SHIFTS),
      to: string().max(64),
      dependsOn: string().required().oneOf(OFFSET_DEPENDS_ON),
      changedAt: moment(),
      ...ownOffsetShape,
    }),
  )
  .max(MAX_DEVICE_OFFSETS);

const coordinate = () => number().required().min(-100_000).max(100_000);

const messageOf = (value?: { kind?: string }) =>
  value?.kind === 'note'
    ? object({ kind: string().required(), channel: midiChannel().required(), note: level(), velocity: level() })
    : value?.kind === 'program'
      ? object({ kind: string().required(), channel: midiChannel().required(), program: level() })
      : object({
          kind: string().required().equals(['controller']),
          channel: midiChannel().required(),
          controller: level(),
          value: level(),
        }).default(undefined);
const edgeSchema = lazy((value: unknown) =>
  Array.isArray(value)
    ? array()
        .of(lazy((one?: { kind?: string }) => messageOf(one).required()))
        .required()
        .max(16)
    : messageOf(value as { kind?: string } | undefined),
);
const stepSchema = mixed()
  .required()
  .oneOf([...TRIGGER_STEPS, 'off']);
const triggerSchema = object({
  id: id(),
  every: stepSchema,
  sends: lazy((value?: { kind?: string }) =>
    value?.kind === 'steps'
      ? object({
          kind: string().required(),
          channel: midiChannel().required(),
          controller: level(),
          count: number().integer().required().min(2).max(128),
        })
      : messageOf(value).required(),
  ),
  atStart: edgeSchema,
  atStop: edgeSchema,
  slowsBelowBpm: number().min(0).max(FASTEST_BPM),
  offBelowBpm: number().min(0).max(FASTEST_BPM),
  off: boolean(),
  fill: mixed()
    .nullable()
    .oneOf([...TRIGGER_STEPS, null, undefined]),
  inSections: table(stepSchema, 500),
});

const tempo = () => number().required().min(SLOWEST_BPM).max(FASTEST_BPM);
const sectionSchema = object({
  name: string().defined().max(60),
  bars: number().integer().required().min(1).max(9999),
  bpm: tempo(),
  toBpm: number().defined().nullable().min(SLOWEST_BPM).max(FASTEST_BPM),
  beatsPerBar: number().integer().required().min(1).max(64),
  beatUnit: number().required().oneOf([1, 2, 4, 8, 16, 32]),
});
const songSchema = whole({
  sections: array().of(sectionSchema).required().max(500),
  tempoFrom: string()
    .required()
    .oneOf(['hand', 'sections'] as const),
  timecodeStart: whole({
    hours: number().integer().required().min(0).max(23),
    minutes: number().integer().required().min(0).max(59),
    seconds: number().integer().required().min(0).max(59),
    frames: number().integer().required().min(0).max(29),
  }),
  rate: string().required().oneOf(RATES),
  countInBars: number().integer().required().min(0).max(16),
  countsIn: flag(),
  countInChosen: boolean(),
  afterStop: string()
    .required()
    .oneOf(['stay', 'toStart', 'toWherePlayBegan'] as const),
  click: string()
    .required()
    .oneOf(['wood block', 'metronome', 'claves'] as const),
}).test('start', 'The start timecode doesn’t exist at the song’s frame rate.', (song) => startExists(song));

const patchNumber = () => ({ program: level(), bank: number().integer().defined().nullable().min(0).max(16_383) });
const patchesSchema = object({
  channel: midiChannel().required(),
  leadMs: number().required().min(0).max(5000),
  atStart: object(patchNumber()).defined().nullable().default(null),
  inSections: table(object(patchNumber()).required(), 500),
})
  .nullable()
  .default(undefined);

const gearSchema = object({
  ...factsSchema,
  icon: string().defined().nullable().max(40),
  checked: array().of(string().required().max(300)).required().max(40),
  changedAt: moment(),
  place: object({ x: coordinate(), y: coordinate() }).defined().nullable().default(null),
  id: string().required().max(64),
  name: string()
    .trim('The name starts or ends with a space. Remove the space.')
    .required('Enter a device name.')
    .max(40, 'Name too long. Use 40 characters or fewer.'),
  portId: string().defined().nullable().max(300),
  sends: whole({ clock: boolean().required(), transport: boolean().required(), position: boolean().required() }),
  mmc: flag(),
  clockRate: number().required().oneOf([0.5, 1, 2]),
  triggers: array().of(triggerSchema).required().max(16),
  clockWhileStopped: boolean().required(),
  noteChannel: midiChannel().required(),
  returnChannel: channel.defined().nullable(),
  offsetMs: number().required().min(-MAX_OFFSET_MS).max(MAX_OFFSET_MS),
  moreOffsets: moreOffsetsSchema,
  syncOffsetMs: number().min(-MAX_OFFSET_MS).max(MAX_OFFSET_MS),
  patchPlan: patchesSchema,
  mayRecord: boolean(),
  pauses: boolean(),
  standingCode: string().oneOf(STANDING_CODES),
  afterStop: string().oneOf(['stay', 'toStart', 'runOn'] as const),
  fadeMs: number().min(0).max(60_000),
  gives: string().oneOf(['both', 'tempo', 'transport'] as const),
});

const peerSchema = object({
  key: string()
    .required()
    .matches(/^[a-z0-9.-]{1,64}$/),
  name: string().required().max(60),
  address: string().required().max(253),
  port: number().integer().required().min(1).max(65_534),
  weInvite: boolean().required(),
  bufferMs: number().required().min(0).max(500),
  fromFile: boolean(),
});

const validated = new WeakSet();

/** Skips values already validated: rigs share unchanged parts between versions. */
function memoized(schema: Schema) {
  return lazy((value: unknown) =>
    typeof value === 'object' && value !== null && validated.has(value) ? mixed() : schema,
  );
}

const setListSchema = object({
  songs: array()
    .of(
      object({
        id: id(),
        name: string().required().max(60),
        bpm: tempo(),
        song: songSchema,
        gear: table(object({ triggers: array().of(triggerSchema).required().max(16), patchPlan: patchesSchema }), 64),
      }),
    )
    .required()
    .min(1)
    .max(100),
  currentId: id(),
  then: string()
    .required()
    .oneOf(['wait', 'play'] as const),
  pauseBars: number().integer().required().min(0).max(64),
}).default(undefined);

export const rigSchema = object({
  id: string().required().max(64),
  name: string()
    .trim('The rig name starts or ends with a space. Remove the space.')
    .required('Enter a rig name.')
    .max(60, 'Name too long. Use 60 characters or fewer.'),
  demo: boolean().required(),
  bpm: tempo(),
  song: songSchema,
  setList: setListSchema,
  gear: array().of(memoized(gearSchema)).required().max(64),
  hubSockets: array().of(socketSchema).required().max(64),
  cables: array().of(memoized(cableSchema)).required().max(256),
  leaders: array().of(id()).required().max(65),
  takeOver: string().oneOf(['inOrder', 'whoeverPlays'] as const),
  routes: array().of(routeSchema).required().max(64),
  controls: array().of(controlSchema).max(128).optional().default(undefined),
  following: whole({
    response: string()
      .required()
      .oneOf(['steady', 'quick'] as const),
    freewheelMs: number().required().min(100).max(10_000),
  }),
  tested: table(testSchema, 512),
  align: whole({
    target: lazy((value: unknown) =>
      typeof value === 'object'
        ? object({ id: id() }).required()
        : string()
            .required()
            .oneOf(['grid', 'latest'] as const),
    ),
    toleranceMs: number().required().min(0.05).max(20),
    locked: array().of(id()).required().max(64),
  }),
  accepted: table(string().required().max(300), 512),
  input: whole({
    sourceId: string().required().max(300),
    label: string().required().max(200),
    clickChannel: channel.required(),
  }),
  peers: array().of(peerSchema).max(32).optional().default(undefined),
});

/** @throws ValidationError of yup if the rig is invalid. */
export function checkRig(rig: Rig): void {
  rigSchema.validateSync(rig, { strict: true });
  for (const part of [...rig.gear, ...rig.cables]) validated.add(part);
}
