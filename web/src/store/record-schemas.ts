import {
  array,
  boolean,
  lazy,
  mixed,
  number,
  object,
  string,
  type AnyObject,
  type ObjectSchema,
  type ObjectShape,
  type Schema,
} from 'yup';
import type { ExchangeRecord } from '@metronomo/core';

/**
 * Schemas of stored and imported records. Long lists of numbers are checked in a loop, because a take has thousands.
 */

const MAX_BEATS = 1_000_000;
const MAX_LINES = 64;
const MAX_SECTIONS = 500;
/** End of the year 9999: what dates are shown for. */
const EPOCH_END = 253_402_300_799_999;

const text = (most: number) => string().defined().max(most);
const id = () => string().required().max(300);
const finite = () => number().required().test('finite', '${path} must be a finite number.', Number.isFinite);
/** NaN, such as the median of an empty list, is null in a file and not a number in the store. */
const measured = () => mixed((value): value is number => typeof value === 'number').required();
const epoch = () => number().integer().required().min(0).max(EPOCH_END);

/** Whether an unchecked value is a time that can be shown, in epoch milliseconds. */
export function isEpoch(at: unknown): at is number {
  return Number.isInteger(at) && (at as number) >= 0 && (at as number) <= EPOCH_END;
}

const optional = (schema: Schema) => lazy((value: unknown): Schema => (value === undefined ? mixed() : schema));
const nullable = (schema: Schema) => lazy((value: unknown): Schema => (value === null ? mixed().nullable() : schema));

const numbers = (most = MAX_BEATS) =>
  mixed<number[]>((value): value is number[] => Array.isArray(value))
    .required()
    .test(
      'numbers',
      '${path} must be a list of numbers.',
      (list) => list.length <= most && list.every(Number.isFinite),
    );

const landings = () =>
  mixed<{ pulse: number; lateMs: number }[]>((value): value is { pulse: number; lateMs: number }[] =>
    Array.isArray(value),
  )
    .required()
    .test(
      'landings',
      '${path} must be a list of landings (beat and ms late).',
      (list) => list.length <= MAX_BEATS && list.every((one: unknown) => isPoint(one, ['pulse', 'lateMs'])),
    );

function isPoint(one: unknown, keys: readonly string[]): boolean {
  if (typeof one !== 'object' || one === null) return false;
  const values = one as Record<string, unknown>;
  return keys.every((key) => Number.isFinite(values[key]));
}

const MAX_EXCHANGES = 10_000;

/** Network clock exchanges; nulls where a reply is missing. */
const exchanges = () =>
  mixed<ExchangeRecord[]>((value): value is ExchangeRecord[] => Array.isArray(value))
    .required()
    .test(
      'exchanges',
      '${path} must be a list of network timing exchanges.',
      (list) => list.length <= MAX_EXCHANGES && list.every(isExchange),
    );

function isExchange(one: unknown): boolean {
  if (!isPoint(one, ['number', 'sentMs'])) return false;
  const { theirsMs, receivedMs } = one as Record<string, unknown>;
  return theirsMs === null || receivedMs === null || isPoint(one, ['theirsMs', 'receivedMs']);
}

const points = (keys: readonly string[], most: number) =>
  mixed<object[]>((value): value is object[] => Array.isArray(value))
    .required()
    .test(
      'points',
      '${path} must be a list of named numbers.',
      (list) => list.length <= most && list.every((one) => isPoint(one, keys)),
    );

const pair = () =>
  mixed<[number, number]>((value): value is [number, number] => Array.isArray(value))
    .required()
    .test(
      'pair',
      '${path} must be a pair of numbers.',
      (two) => two.length === 2 && two.every((one) => typeof one === 'number'),
    );

/** At least these fields. Older data may have others and keeps them. */
const fields = (shape: ObjectShape): ObjectSchema<AnyObject> =>
  object(shape).required() as unknown as ObjectSchema<AnyObject>;

const latency = () =>
  fields({
    medianMs: measured(),
    ci95Ms: pair(),
    spreadMs: measured(),
    matched: finite(),
    missed: finite(),
    extra: finite(),
    believable: boolean().required(),
    reason: string().max(500),
    bleedDb: number(),
    besideDb: number(),
    findings: array(fields({ kind: string().max(40).required() })).max(20),
  });

const drift = () => ({
  ppm: measured(),
  ci95Ppm: pair(),
  msPerSong: measured(),
  told: boolean().required(),
});

const resultSchema = lazy((value?: { question?: string }): Schema => {
  switch (value?.question) {
    case undefined:
      return mixed();
    case 'chase':
    case 'starts':
      return fields({
        question: string(),
        report: fields({
          starts: array()
            .of(
              fields({
                lockMs: number().defined().nullable(),
                landsMs: number().defined().nullable(),
                stood: nullable(fields({ hub: finite(), follower: finite() })),
                began: number().nullable(),
              }),
            )
            .required()
            .max(1000),
          lockMs: nullable(fields({ median: finite(), worst: finite() })),
          landsMs: nullable(fields({ median: finite(), least: finite(), most: finite(), spread: finite() })),
          failed: finite(),
          fitFor: string().required().max(40),
        }),
      });
    case 'tempo':
      return fields({ question: string(), step: following(), ramp: following() });
    case 'tempoRun':
      return fields({
        question: string(),
        report: fields({
          before: latency().required(),
          changes: array()
            .of(
              fields({
                ...{ fromMs: finite(), toMs: finite(), fromBpm: finite(), toBpm: finite() },
                ...{ settledMs: number().defined().nullable(), strayMs: measured() },
                ...{ shiftMs: measured(), ticksLost: finite() },
              }),
            )
            .required()
            .max(1000),
          missed: finite(),
        }),
      });
    case 'drift':
      return fields({ question: string(), report: fields(drift()).required() });
    case 'program':
      return fields({
        question: string(),
        report: fields({
          notes: array()
            .of(fields({ leadMs: finite(), heard: heardProgram() }))
            .required()
            .max(1000),
          tooShortMs: number().defined().nullable(),
          enoughMs: number().defined().nullable(),
        }),
      });
    default:
      return mixed().test('question', '${path} is a result of an unknown measurement type.', () => false);
  }
});

const following = () =>
  fields({
    before: latency().required(),
    after: latency().required(),
    settledMs: number().defined().nullable(),
    strayMs: measured(),
    dependsMs: fields({ differenceMs: measured(), ci95Ms: pair(), told: boolean().required() }),
  });

const corrections = () =>
  optional(
    mixed<object>((one): one is object => typeof one === 'object' && one !== null && !Array.isArray(one)).test(
      'corrections',
      '${path} must give a time in ms for each beat number.',
      (table) =>
        Object.entries(table ?? {}).every(([key, ms]) => /^\d{1,7}$/.test(key) && (ms === null || Number.isFinite(ms))),
    ),
  );

const lineSchema = fields({
  gearId: string().defined().nullable().max(64),
  name: text(120),
  channel: number().integer().required().min(0).max(63),
  offsetMs: finite(),
  wiredTo: string().nullable().max(300),
  ownOffset: number(),
  report: nullable(latency()),
  problem: string().max(500),
  warning: string().max(500),
  result: resultSchema,
  corrections: corrections(),
  landings: landings(),
  pulsesMs: numbers(),
  onsetsMs: numbers(),
  moved: boolean(),
  within: optional(pair()),
});

/** What is played is built from it, so it has to be one that can be played. */
const tempo = () => number().required().min(1).max(1000);

const midiNumber = (most: number) => number().integer().min(0).max(most);
const programNumber = () =>
  fields({ program: midiNumber(127).required(), bank: midiNumber(16_383).defined().nullable() });
const heardProgram = () =>
  string()
    .required()
    .oneOf(['new', 'late', 'mixed', 'old', 'nothing'] as const);

const maybeHeardLeader = () => ({ leader: optional(text(60)), leaderId: string().max(64).nullable() });

const planSchema = lazy((value?: { question?: string }): Schema => {
  switch (value?.question) {
    case undefined:
      return mixed();
    case 'calibration':
    case 'loop':
      return fields({ question: string() });
    case 'against':
    case 'startsBySound':
      return fields({ question: string(), leader: text(60), leaderId: string().max(64).defined().nullable() });
    case 'drift':
      return fields({ question: string(), ...maybeHeardLeader() });
    case 'leaderSound':
      return fields({ question: string(), leader: text(60), leaderId: string().max(64), syncOffsetMs: finite() });
    case 'midiReturn':
      return fields({ question: string(), port: text(60) });
    case 'chase':
      return fields({ question: string(), startedMs: numbers(1000) });
    case 'starts':
      return fields({
        question: string(),
        startedMs: numbers(1000),
        fromBeat: finite(),
        port: optional(string().max(60)),
      });
    case 'program':
      return fields({
        question: string(),
        programs: array().of(programNumber()).required().min(2).max(2),
        notes: array()
          .of(fields({ atMs: finite(), program: number().required().oneOf([0, 1]), leadMs: finite() }))
          .required()
          .max(1000),
      });
    case 'tempo':
      return fields({
        question: string(),
        beganMs: finite(),
        bpm: tempo(),
        otherBpm: tempo(),
        beats: number().required().min(1).max(1000),
      });
    case 'tempoRun':
      return fields({
        question: string(),
        beganMs: finite(),
        tempo: array()
          .of(fields({ beat: finite(), bpm: tempo(), curve: string().oneOf(['step', 'linear'] as const) }))
          .required()
          .max(2 * MAX_SECTIONS),
        ...maybeHeardLeader(),
      });
    default:
      return mixed().test('question', '${path} is an unknown measurement type.', () => false);
  }
});

const status = () =>
  string()
    .required()
    .oneOf(['recording', 'done', 'interrupted'] as const);
const gearIds = () => array().of(string().required().max(64)).required().max(MAX_LINES);

export const takeSchema = fields({
  id: id(),
  rigId: id(),
  kind: string()
    .required()
    .oneOf([
      'take',
      'proof',
      'recording',
      'calibration',
      'against',
      'leaderSound',
      'midiReturn',
      'loop',
      'chase',
      'starts',
      'startsBySound',
      'tempo',
      'tempoRun',
      'drift',
      'program',
    ] as const),
  gearIds: gearIds(),
  startedAt: epoch(),
  source: string()
    .required()
    .oneOf(['live', 'recording'] as const),
  proof: boolean().required(),
  status: status(),
  ending: string().max(500),
  sampleRate: number().required().min(0).max(384_000),
  frames: number().integer().required().min(0),
  bpm: number().defined().nullable(),
  beatsPerBar: number().integer().min(1).max(64),
  drive: string()
    .defined()
    .nullable()
    .oneOf(['clock', 'notes', null] as const),
  input: text(300),
  inputSource: string().max(300),
  gaps: number().integer().min(0),
  beats: lazy((value?: object) =>
    value && 'bpm' in value
      ? fields({ bpm: finite(), firstBeatMs: finite(), clicksMs: array(finite()).max(10_000) })
      : value && 'beatsMs' in value
        ? fields({
            beatsMs: numbers(),
            sections: array()
              .of(fields({ name: text(60), fromPulse: finite() }))
              .required()
              .max(MAX_SECTIONS),
          })
        : fields({ clickChannel: number().integer().required().min(0).max(63) }),
  ),
  playedBy: string().oneOf(['hub', 'notes', 'clock'] as const),
  plan: planSchema,
  ledBy: string().max(64),
  note: string().max(400),
  conditions: optional(fields({ version: text(40), bufferMs: number().defined().nullable() })),
  lines: array().of(lineSchema).required().max(MAX_LINES),
  computeMs: number(),
});

const traceKeys = ['seconds', 'low', 'high'];
const wanderKeys = ['tauMs', 'allanDeviation', 'timeDeviation', 'mtie'];

const clockResultSchema = fields({
  report: fields({
    bpm: finite(),
    bpmStandardError: measured(),
    jitterRmsMs: measured(),
    jitterPeakToPeakMs: measured(),
    intervalRmsMs: measured(),
    percentilesMs: fields({ p50: measured(), p95: measured(), p99: measured() }),
    missing: finite(),
    extra: finite(),
  }),
  intervalMs: finite(),
  seconds: finite(),
  drift: fields({ ...drift(), againstBpm: finite() }),
  wander: fields({
    points: points(wanderKeys, 1000),
    steady: nullable(fields({ overMs: finite(), withinMs: finite() })),
  }),
  comparison: optional(
    fields({
      ppm: measured(),
      ci95Ppm: pair(),
      told: boolean().required(),
      jitterRmsMs: measured(),
      trace: points(['seconds', 'apartMs'], 10_000),
    }),
  ),
  trace: points(traceKeys, 10_000),
  histogram: points(['fromMs', 'toMs', 'count'], 1000),
});

export const clockTakeSchema = fields({
  id: id(),
  rigId: id(),
  startedAt: epoch(),
  status: status(),
  ending: string().max(500),
  portId: id(),
  name: text(120),
  gearIds: gearIds(),
  ticks: number().integer().required().min(0),
  traffic: optional(fields({ portId: id(), quietId: id() })),
  against: optional(fields({ portId: id(), name: text(120) })),
  result: nullable(clockResultSchema),
  problem: string().max(500),
  computeMs: number(),
});

export const offsetSetSchema = fields({
  id: id(),
  rigId: id(),
  name: text(60),
  savedAt: epoch(),
  bpm: finite(),
  song: text(40_000),
  input: text(300),
  inputSource: text(300),
  sampleRate: number().defined().nullable(),
  bufferMs: number().defined().nullable(),
  offsets: array()
    .of(
      fields({
        gearId: text(64),
        name: text(60),
        offsetMs: finite(),
        own: finite(),
        wiredTo: string().defined().nullable().max(300),
      }),
    )
    .required()
    .max(MAX_LINES),
});

export const calibrationSchema = fields({
  input: text(300),
  source: string().max(300),
  sampleRate: number().required().min(0).max(384_000),
  channel: number().integer().min(0).max(255),
  roundTripMs: finite(),
  bufferMs: number().defined().nullable(),
  takeId: id(),
  at: epoch(),
});

export const eventSchema = fields({
  id: id(),
  rigId: id(),
  at: epoch(),
  kind: string()
    .required()
    .oneOf(['offsets', 'rig', 'fault', 'data', 'link'] as const),
  lines: array().of(text(1000)).required().max(200),
  gearIds: gearIds(),
  recovered: optional(boolean().defined()),
  moves: optional(
    array()
      .of(fields({ gearId: text(64), name: text(60), fromMs: finite(), toMs: finite() }))
      .required()
      .max(MAX_LINES),
  ),
  link: optional(
    fields({
      peerKey: id(),
      peerName: text(60),
      weInvite: boolean().required(),
      bufferMs: number().required().min(0).max(500),
      records: exchanges(),
    }),
  ),
});

export const streamSchema = fields({
  id: id(),
  rigId: id(),
  name: text(120),
  startedAt: epoch(),
  status: string()
    .required()
    .oneOf(['recording', 'done'] as const),
  messages: number().integer().required().min(0),
  durationMs: number().required().min(0),
});
