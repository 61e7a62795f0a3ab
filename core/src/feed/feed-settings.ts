import type { FrameRate, Timecode } from '../timecode/timecode';

/** One note per beat, for gear that plays only when triggered. */
export interface BeatNotes {
  /** 1..16 */
  channel: number;
  /** 0..127, on the first beat of each bar and on the others. */
  barNote: number;
  beatNote: number;
  velocity: number;
}

const percussion = (barNote: number, beatNote: number): BeatNotes => ({
  channel: 10,
  barNote,
  beatNote,
  velocity: 100,
});

/** Sounds of the hub's click, as notes of General MIDI's percussion channel (recalled, not copied from the page). */
export const CLICK_SOUNDS = {
  'wood block': percussion(76, 77),
  metronome: percussion(34, 33),
  claves: percussion(75, 37),
} as const satisfies Record<string, BeatNotes>;
export type ClickSound = keyof typeof CLICK_SOUNDS;
export const CLICK_NOTES: BeatNotes = CLICK_SOUNDS['wood block'];

/** The range of an offset, ms to either side; nudging ends there. */
export const MAX_OFFSET_MS = 500;

export const STANDING_CODES = ['once', 'fullFrames', 'quarterFrames'] as const;
export type StandingCode = (typeof STANDING_CODES)[number];

/** What leaves one wire, and when: one offset per kind of message. */
export interface FeedSettings {
  sends: {
    clock: boolean;
    /** Start, continue and stop. */
    transport: boolean;
    /** Song position. A follower without it can only start from the top, and does so on a bar. */
    position: boolean;
    timecode: FrameRate | null;
    /** Machine control: play, stop, locate. */
    mmc?: boolean;
    /** Machine control also sends record strobe and exit: the musician allowed it to be armed. */
    record?: boolean;
    /** Machine control is sent pause instead of stop. */
    pause?: boolean;
  };
  /** Of clock with transport and position, and of everything without an offset of its own. Minus is earlier. */
  offsetMs: number;
  /** Of timecode, and of machine control where there is timecode. */
  timecodeOffsetMs?: number;
  /** Of notes and controllers, by channel from 1. */
  noteOffsetsMs?: Readonly<Record<number, number>>;
  clockWhileStopped: boolean;
  /** The code at beat 0; defaults to 00:00:00:00. */
  timecodeStart?: Timecode;
  /** The follower's clock rate relative to the hub's tempo, for gear that should run at half or double time. */
  clockRate?: 0.5 | 1 | 2;
  /** Send song position after a stop and on a locate while stopped, not only with start. */
  positionWhileStopped?: boolean;
  /** How the code is sent while it stands: once; or again and again, for gear that misses it or ignores full frames. */
  standingCode?: StandingCode;
  /** Where timecode and machine control go after a stop: they stay, return to the start of the song, or run on. */
  afterStop?: 'stay' | 'toStart' | 'runOn';
  notes?: BeatNotes;
  patches?: readonly Patch[];
  triggers?: readonly BeatTrigger[];
}

/** How often a trigger fires: on every bar, or every so many quarter notes. */
export const TRIGGER_STEPS = ['bar', 4, 2, 1, 1 / 2, 1 / 4, 1 / 8, 1 / 16] as const;
export type TriggerStep = (typeof TRIGGER_STEPS)[number];

/** A message a trigger can send. */
export type TriggerMessage =
  | { kind: 'note'; channel: number; note: number; velocity: number }
  | { kind: 'controller'; channel: number; controller: number; value: number }
  | { kind: 'program'; channel: number; program: number };

/** A sound that a device plays from a beat on: a program change, with the bank if it has several. */
export interface Patch {
  fromBeat: number;
  /** 1..16 */
  channel: number;
  /** 0..127; many devices count from 1 on their displays. */
  program: number;
  /** 0..16383: bank select, coarse and fine; null sends none. */
  bank: number | null;
  /** Sent this long before its beat, as the device takes time to change, ms. */
  leadMs: number;
}

/** A message sent in time with the song, for lights and visuals. */
export interface BeatTrigger {
  every: TriggerStep;
  /** A message, or a controller that counts steps from 0 and wraps. */
  sends: TriggerMessage | { kind: 'steps'; channel: number; controller: number; count: number };
  /** Sent as the follower starts and stops: to set, and to reset. */
  atStart?: TriggerMessage | readonly TriggerMessage[];
  atStop?: TriggerMessage | readonly TriggerMessage[];
  /** Overrides per section: from a beat on it fires at another rate, or not at all. Beats ascend. */
  changes?: readonly { fromBeat: number; every: TriggerStep | 'off' }[];
  /** Below this tempo it fires half as often, below half of it a quarter as often, and so on. */
  slowsBelowBpm?: number;
  /** Below this tempo it doesn't fire at all. */
  offBelowBpm?: number;
}
