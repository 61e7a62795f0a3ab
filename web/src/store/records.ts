import type {
  AlignTarget,
  BeatTrigger,
  Cable,
  CapturedMessage,
  ChaseReport,
  ClickSound,
  ClockComparison,
  ClockReport,
  DriftReport,
  ExchangeRecord,
  FollowingReport,
  FrameRate,
  Landing,
  LatencyReport,
  LineTestKind,
  NoteRoute,
  RigGear,
  Section,
  Socket,
  Timecode,
  TriggerStep,
  Wander,
} from '@metronomo/core';

/** What a musician says about gear: its sockets, what it can do, how it is set. */
export type GearFacts = Pick<
  RigGear,
  'kind' | 'notes' | 'sockets' | 'audioOuts' | 'able' | 'set' | 'takes' | 'rate' | 'gives' | 'sharesFeedOf' | 'offset'
>;

/** One device, app or computer in the rig. */
export interface Gear extends GearFacts {
  id: string;
  name: string;
  /** The name of its picture; null shows that of its kind. */
  icon: string | null;
  /** What of its checklist is ticked off, by the keys of the entries. */
  checked: string[];
  /** Where it was moved to in the drawing; null where it lays itself out. */
  place: { x: number; y: number } | null;
  /** The port its feed leaves by, which follows from the cables; null when no cable leads from the hub to it. */
  portId: string | null;
  sends: { clock: boolean; transport: boolean; position: boolean };
  /** Whether it is sent machine control besides. */
  mmc: boolean;
  /** Beats that it counts in each of the hub's: half or double time. */
  clockRate: 0.5 | 1 | 2;
  triggers: Trigger[];
  clockWhileStopped: boolean;
  /** For gear that plays only what it is told: the MIDI channel, 1..16, on which a take sends it quarter notes. */
  noteChannel: number;
  /** The input that hears it, from 0: that of its first audio out that goes to one; null when none does. */
  returnChannel: number | null;
  /** Minus is earlier. */
  offsetMs: number;
}

/** A beat trigger, with what it does in sections of the song, by their index, where that is something else. */
export interface Trigger extends Omit<BeatTrigger, 'changes'> {
  id: string;
  inSections: Record<string, TriggerStep | 'off'>;
}

/** What is played: sections, the timecode at its beginning, and how play begins and stops. */
export interface Song {
  sections: Section[];
  /** Whether the tempo and the time signature are those of the sections, or the tempo set by hand and four beats a bar. */
  tempoFrom: 'hand' | 'sections';
  timecodeStart: Timecode;
  rate: FrameRate;
  countInBars: number;
  /** Whether play begins with the count-in. */
  countsIn: boolean;
  afterStop: 'stay' | 'toStart' | 'toWherePlayBegan';
  click: ClickSound;
}

/** What a line test found: by which way the answer came, or that none did. */
export interface LineTestResult {
  kind: LineTestKind;
  answer: 'sound' | 'midi' | 'seen' | 'nothing';
  /** Epoch milliseconds. */
  at: number;
}

/** What everybody is brought onto, how near, and who stays as it is. */
export interface AlignSettings {
  target: AlignTarget;
  toleranceMs: number;
  /** Gear whose offset is not touched, by id. */
  locked: string[];
}

export interface Rig {
  id: string;
  name: string;
  demo: boolean;
  bpm: number;
  song: Song;
  gear: Gear[];
  /** The hub's own sockets: one for each port that was adopted. */
  hubSockets: Socket[];
  cables: Cable[];
  /** Who leads, and who does when that one is lost. */
  leaders: string[];
  /** Notes and controllers that the hub carries from port to port. */
  routes: NoteRoute[];
  /** How somebody else's time is followed. */
  following: { response: 'steady' | 'quick'; freewheelMs: number };
  /** Lines that were tested, by the id of the cable. */
  tested: Record<string, LineTestResult>;
  align: AlignSettings;
  /** Findings of the line check that were accepted, by their keys, each with a reason. */
  accepted: Record<string, string>;
  /** Where returns come from: a source of sound, and the channel of it that carries the hub's click. */
  input: { sourceId: string; label: string; clickChannel: number };
  /** None in rigs of before there was network MIDI. */
  peers?: RememberedPeer[];
}

/** Another computer or tablet with which there is a session of network MIDI, and is to be again. */
export interface RememberedPeer {
  /** What its ports are known by. */
  key: string;
  name: string;
  address: string;
  /** Of its control port, where we invite it. */
  port: number;
  weInvite: boolean;
  /** What comes from it is played so much later than it was sent, ms. */
  bufferMs: number;
}

/** How the gear is made to sound during a take. */
export type Drive = 'clock' | 'notes';

/**
 * What a take asks when it is more than how late something sounds, and how it went. Times are ms from the first sample; as long as
 * it is being recorded, of the window's clock.
 */
export type TakePlan =
  /** What the audio path adds: the click's way out of the computer and back. */
  | { question: 'calibration' }
  /** From one port to another, round by a cable. */
  | { question: 'loop' }
  /** Timecode started anew each time. */
  | { question: 'chase'; startedMs: number[] }
  /** So many beats at one tempo, after a step at another, on a ramp back, and at the first again. */
  | { question: 'tempo'; beganMs: number; bpm: number; otherBpm: number; beats: number }
  /** A long run, of which the landings are kept and not the sound. */
  | { question: 'drift' };

/** What a plan's question came to, for one follower. */
export type TakeResult =
  | { question: 'chase'; report: ChaseReport }
  | { question: 'tempo'; step: FollowingReport; ramp: FollowingReport }
  | { question: 'drift'; report: DriftReport };

export interface TakeLine {
  gearId: string | null;
  name: string;
  channel: number;
  /** The offset in force while it was measured. */
  offsetMs: number;
  /** The port that its feed left by, and what stood in its own menu. */
  wiredTo?: string | null;
  ownOffset?: number;
  /** Null when nothing could be measured; `problem` says why. */
  report: LatencyReport | null;
  problem?: string;
  /** What else was wrong with the sound; the result stands all the same. */
  warning?: string;
  result?: TakeResult;
  /** By hand: how late a beat landed, in ms, where it was found wrong; null where it does not count. By the pulse. */
  corrections?: Record<string, number | null>;
  landings: Landing[];
  pulsesMs: number[];
  onsetsMs: number[];
  /** Its offset was changed while it was measured. */
  moved?: boolean;
  /** Where several took turns on one input: from when to when this one was heard. Times as those of the plan. */
  within?: [fromMs: number, toMs: number];
}

/** Where a take's beats are: a channel with the click, or an even tempo from a first beat. */
export type TakeBeats = { clickChannel: number } | { bpm: number; firstBeatMs: number };

export type TakeKind = 'take' | 'proof' | 'recording' | TakePlan['question'];

/** One measuring pass, with the raw data it was computed from. */
export interface Take {
  id: string;
  rigId: string;
  /** By which the logbook lists it: both follow from the rest. */
  kind: TakeKind;
  gearIds: string[];
  /** Epoch milliseconds. */
  startedAt: number;
  source: 'live' | 'recording';
  /** Made after offsets were applied, to show what is left. */
  proof: boolean;
  status: 'recording' | 'done' | 'interrupted';
  /** Of a take that ended early: why. */
  ending?: string;
  sampleRate: number;
  frames: number;
  bpm: number | null;
  drive: Drive | null;
  input: string;
  /** The source of sound that this was. */
  inputSource?: string;
  /** How often samples were missing for a moment, as when the computer was too busy. */
  gaps?: number;
  beats: TakeBeats;
  /** Missing where it is asked how late something sounds. */
  plan?: TakePlan;
  /** What somebody noted about it. */
  note?: string;
  /** The app's version, and the delay that the sound card's buffers were said to have then, ms. */
  conditions?: { version: string; bufferMs: number | null };
  lines: TakeLine[];
  /** How long computing all this from the sound took. */
  computeMs?: number;
}

/** One measuring of a clock that comes in, with what was computed from its ticks. */
export interface ClockTake {
  id: string;
  rigId: string;
  /** Epoch milliseconds. */
  startedAt: number;
  status: 'recording' | 'done' | 'interrupted';
  ending?: string;
  portId: string;
  /** Of the gear whose clock it is. */
  name: string;
  gearIds: string[];
  ticks: number;
  /** Notes, controllers and dumps ran down this port's line meanwhile; and the take before them that it is compared with. */
  traffic?: { portId: string; quietId: string };
  /** The other clock that was listened to at once. */
  against?: { portId: string; name: string };
  result: ClockResult | null;
  /** Why nothing could be measured. */
  problem?: string;
  /** How long computing all this from the ticks took. */
  computeMs?: number;
}

export interface ClockResult {
  report: ClockReport;
  intervalMs: number;
  seconds: number;
  /** Against the whole number of tenths of a BPM that it comes nearest to. */
  drift: DriftReport & { againstBpm: number };
  wander: Wander;
  /** With the other clock, where there was one. */
  comparison?: ClockComparison;
  /** So much of the time error as a screen can show: the lowest and the highest of each stretch, ms. */
  trace: { seconds: number; low: number; high: number }[];
  /** How many ticks came so much before or after their place. */
  histogram: { fromMs: number; toMs: number; count: number }[];
}

/** Offsets that belong together, under a name, with what they were measured with. */
export interface OffsetSet {
  id: string;
  rigId: string;
  name: string;
  /** Epoch milliseconds. */
  savedAt: number;
  bpm: number;
  /** The names of its sections; empty where the tempo was set by hand. */
  song: string;
  input: string;
  inputSource: string;
  sampleRate: number | null;
  bufferMs: number | null;
  offsets: { gearId: string; name: string; offsetMs: number; own: number; wiredTo: string | null }[];
}

/** What an interface adds to what is recorded through it, as a take found it. */
export interface Calibration {
  /** The name of the input, and its sample rate. */
  input: string;
  sampleRate: number;
  roundTripMs: number;
  bufferMs: number | null;
  takeId: string;
  /** Epoch milliseconds. */
  at: number;
}

/** Half a second or less of a clock's ticks, in ms of the window's clock; of a long run, its landings, three numbers each. */
export interface TickChunk {
  takeId: string;
  index: number;
  times: Float64Array;
}

/** A second or less of a take's sound. */
export interface SoundChunk {
  takeId: string;
  index: number;
  channels: Float32Array[];
}

/** What happened besides takes: offsets solved and applied, changes of the rig, what went wrong while running, what came in from files. */
export type EventKind = 'offsets' | 'rig' | 'fault' | 'data' | 'link';

export interface HistoryEvent {
  id: string;
  rigId: string;
  /** Epoch milliseconds. */
  at: number;
  kind: EventKind;
  /** In words, a line each. */
  lines: string[];
  gearIds: string[];
  /** Of offsets: from where to where each was moved, ms. */
  moves?: OffsetMove[];
  /** Of a network link that was measured: with whom, and every question as it was asked and answered. */
  link?: LinkData;
}

export interface LinkData {
  peerKey: string;
  peerName: string;
  weInvite: boolean;
  /** In force meanwhile, ms. */
  bufferMs: number;
  records: ExchangeRecord[];
}

export interface OffsetMove {
  gearId: string;
  name: string;
  fromMs: number;
  toMs: number;
}

/** Messages that were captured as they went in and out, or that came from a file. */
export interface CapturedStream {
  id: string;
  rigId: string;
  name: string;
  /** Epoch milliseconds. */
  startedAt: number;
  status: 'recording' | 'done';
  messages: number;
  durationMs: number;
}

/** Some of its messages, in order; times in ms since it began. */
export interface CapturedPiece {
  streamId: string;
  index: number;
  messages: CapturedMessage[];
}

/** A record that could not be read any more, as it was, out of the way of the others. */
export interface SetAside {
  number: number;
  table: string;
  /** Epoch milliseconds. */
  at: number;
  /** What is wrong with it. */
  problem: string;
  record: unknown;
}
