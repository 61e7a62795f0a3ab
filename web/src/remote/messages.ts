import type { ControlDeed } from '@metronomo/core';
import { array, boolean, number, object, string, type InferType } from 'yup';

/** How the song stands on the page with the hub. Times are ms of that page's clock. */
const stateSchema = object({
  kind: string()
    .required()
    .oneOf(['state'] as const),
  atMs: number().required(),
  /** Quarter notes; they go on at `bpm` while it plays. */
  beat: number().required(),
  bpm: number().required().min(0),
  plays: boolean().required(),
  counting: boolean().required(),
  /** Of the bar that it stands in: its number, its first beat, and its beats. */
  bar: object({
    number: number().required(),
    fromBeat: number().required(),
    beats: number().required().min(1).max(64),
    /** Quarter notes of one of its beats. */
    quarters: number().required().min(0.03).max(4),
  }).required(),
  song: string().defined().max(80),
  sections: array()
    .of(object({ name: string().defined().max(60), fromBeat: number().required(), beats: number().required() }))
    .required()
    .max(500),
  locked: number().required(),
  followers: number().required(),
  fills: array()
    .of(object({ id: string().required().max(64), name: string().defined().max(80) }))
    .required()
    .max(16),
  hasNextSong: boolean().required(),
});

const answerSchema = object({
  kind: string()
    .required()
    .oneOf(['answer'] as const),
  id: string().required().max(64),
  sentMs: number().required(),
  hubMs: number().required(),
});
const goneSchema = object({
  kind: string()
    .required()
    .oneOf(['hubGone'] as const),
});

export type RemoteState = InferType<typeof stateSchema>;
export type FromHost = RemoteState | InferType<typeof answerSchema> | { kind: 'hubGone' };

/** What a remote may do. */
export const REMOTE_DEEDS = [
  ...(['playOrStop', 'toStart', 'tap', 'nextSection', 'previousSection', 'nextSong', 'faster', 'slower'] as const),
  'fill' as const,
] satisfies ControlDeed[];
export type RemoteDeed = (typeof REMOTE_DEEDS)[number];

const pressSchema = object({
  kind: string()
    .required()
    .oneOf(['press'] as const),
  does: string()
    .required()
    .oneOf([...REMOTE_DEEDS]),
  down: boolean().required(),
  triggerId: string().max(64),
});
const askSchema = object({
  kind: string()
    .required()
    .oneOf(['ask'] as const),
  id: string().required().max(64),
  sentMs: number().required(),
});
export type FromRemote =
  | { kind: 'press'; does: RemoteDeed; down: boolean; triggerId?: string | undefined }
  | { kind: 'ask'; id: string; sentMs: number };

/** What the server passes on to the page with the hub. */
const relayedSchema = object({
  remote: number().required(),
  joined: boolean(),
  left: boolean(),
  said: string().max(16_384),
});

const read = (schema: { validateSync: (value: unknown, options: { strict: true }) => unknown }, text: unknown) => {
  try {
    return schema.validateSync(JSON.parse(String(text)), { strict: true });
  } catch {
    return null;
  }
};

/** Null if it is none of the hub's messages. */
export function readFromHost(text: unknown): FromHost | null {
  return (read(stateSchema, text) ?? read(answerSchema, text) ?? read(goneSchema, text)) as FromHost | null;
}

/** Null if it is none of a remote's messages. */
export function readFromRemote(text: unknown): FromRemote | null {
  return (read(pressSchema, text) ?? read(askSchema, text)) as FromRemote | null;
}

export function readRelayed(text: unknown): InferType<typeof relayedSchema> | null {
  return read(relayedSchema, text) as InferType<typeof relayedSchema> | null;
}
