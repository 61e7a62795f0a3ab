import type {
  SectionStart,
  AlignTarget,
  BeatTrigger,
  Cable,
  CapturedMessage,
  ChaseReport,
  ClickSound,
  ClockComparison,
  ClockReport,
  Control,
  DriftReport,
  ExchangeRecord,
  FollowingReport,
  FrameRate,
  Landing,
  LatencyReport,
  RecordingReport,
  LineTestKind,
  NoteRoute,
  ProgramNote,
  ProgramReport,
  RigGear,
  Section,
  Socket,
  StandingCode,
  TempoPoint,
  TempoRunReport,
  OffsetPlace,
  Timecode,
  TriggerStep,
  Wander,
} from '@metronomo/core';

/** What the musician says about a device: sockets, capabilities, settings. */
export type GearFacts = Pick<
  RigGear,
  'kind' | 'notes' | 'sockets' | 'audioOuts' | 'able' | 'set' | 'syncsTo' | 'rate' | 'leadsWith' | 'offset'
>;

/** An offset setting of a device, beside the one for incoming sync. */
export interface DeviceOffset extends Omit<OffsetPlace, 'where'> {
  id: string;
  /** The clock that the device sends, the notes that it plays, or all of its sound. */
  shifts: 'clockOut' | 'notes' | 'audio';
  /** For `clockOut`: the follower on that output. */
  to?: string;
  /** A setting of the device that moves its sound, so that the value has to be measured again after a change. */
  dependsOn: 'nothing' | 'buffer' | 'plugins' | 'sampleRate';
  /** When the value last changed, epoch ms: what was measured before doesn't count. */
  changedAt?: number;
}

/** One device, app or computer in the rig. */
export interface Gear extends GearFacts {
  id: string;
  name: string;
  /** Icon name; null for the type's default. */
  icon: string | null;
  /** Ticked checklist entries, by key. */
  checked: string[];
  /** When its own settings last changed in a way that moves its sound, epoch ms: takes from before are out of date. */
  changedAt?: number;
  /** Position in the diagram; null for automatic layout. */
  place: { x: number; y: number } | null;
  /** The output port whose wire reaches it, directly or through other gear; null if none does. */
  portId: string | null;
  sends: { clock: boolean; transport: boolean; position: boolean };
  /** Whether it is also sent machine control. */
  mmc: boolean;
  /** Its clock rate relative to the hub's tempo. */
  clockRate: 0.5 | 1 | 2;
  triggers: Trigger[];
  clockWhileStopped: boolean;
  /** For devices without a sequencer: the MIDI channel, 1..16, on which a take sends quarter notes. */
  noteChannel: number;
  /** Input of its audio return, from 0: that of its first connected audio out; null if none. */
  returnChannel: number | null;
  /** Minus is earlier. */
  offsetMs: number;
  moreOffsets?: DeviceOffset[];
  /** While it leads: added to the times of its sync, ms, so that everyone plays with its sound. */
  syncOffsetMs?: number;
  /** Program changes for it; none if missing. */
  patchPlan?: GearPatches | null;
  mayRecord?: boolean;
  pauses?: boolean;
  standingCode?: StandingCode;
  afterStop?: 'stay' | 'toStart' | 'runOn';
  /** How long it fades from one step of a trigger to the next, ms. */
  fadeMs?: number;
  /** What its clock rules while it leads: tempo and transport if missing. */
  gives?: 'both' | 'tempo' | 'transport';
}

/** Program and bank; see `Patch` of core. */
export interface PatchNumber {
  program: number;
  bank: number | null;
}

/** The sounds of one device: at the start of the song, and from sections on. */
export interface GearPatches {
  channel: number;
  /** How long before their beat they are sent, ms. */
  leadMs: number;
  atStart: PatchNumber | null;
  /** By section index. */
  inSections: Record<string, PatchNumber>;
}

/** A beat trigger with overrides per section index. */
export interface Trigger extends Omit<BeatTrigger, 'changes'> {
  id: string;
  /** Switched off. */
  off?: boolean;
  /** Another rate, while a control for it is held. */
  fill?: TriggerStep | null;
  inSections: Record<string, TriggerStep | 'off'>;
}

/** The song: sections, start timecode, and how play starts and stops. */
export interface Song {
  sections: Section[];
  /** Tempo and time signature from the sections, or a manual tempo in 4/4. */
  tempoFrom: 'hand' | 'sections';
  timecodeStart: Timecode;
  rate: FrameRate;
  countInBars: number;
  /** Whether play starts with a count-in. */
  countsIn: boolean;
  /** Whether the musician decided that; else play also counts in where it has to. */
  countInChosen?: boolean;
  afterStop: 'stay' | 'toStart' | 'toWherePlayBegan';
  click: ClickSound;
}

/** One song of a set list; the parts of each device by its id. */
export interface SetSong {
  id: string;
  name: string;
  bpm: number;
  song: Song;
  gear: Record<string, Pick<Gear, 'triggers' | 'patchPlan'>>;
}

/** Songs in a row. The current one is open in the rig; its entry here is as it was before. */
export interface SetList {
  songs: SetSong[];
  currentId: string;
  /** What happens when a song ends. */
  then: 'wait' | 'play';
  pauseBars: number;
}

/** Result of a line test. */
export interface LineTestResult {
  kind: LineTestKind;
  answer: 'sound' | 'midi' | 'seen' | 'nothing';
  /** Epoch milliseconds. */
  at: number;
}

/** Alignment target, tolerance and locked offsets. */
export interface AlignSettings {
  target: AlignTarget;
  toleranceMs: number;
  /** Devices whose offset is locked, by id. */
  locked: string[];
}

export interface Rig {
  id: string;
  name: string;
  demo: boolean;
  bpm: number;
  song: Song;
  /** Missing if there is only this song. */
  setList?: SetList;
  gear: Gear[];
  /** The hub's sockets, one per port in use. */
  hubSockets: Socket[];
  cables: Cable[];
  /** The fallback order, leader first. */
  leaders: string[];
  /** Whether the first of them leads, or whoever starts to play; the first if missing. */
  takeOver?: 'inOrder' | 'whoeverPlays';
  /** Note and controller routes between ports. */
  routes: NoteRoute[];
  /** What keys, pedals and other things on the inputs do here. */
  controls?: Control[];
  /** How external sync is followed. */
  following: { response: 'steady' | 'quick'; freewheelMs: number };
  /** Line test results, by cable id. */
  tested: Record<string, LineTestResult>;
  align: AlignSettings;
  /** Accepted Line check findings by key, with their reason. */
  accepted: Record<string, string>;
  /** Source of the audio returns, and its click channel. */
  input: { sourceId: string; label: string; clickChannel: number };
  /** Missing in rigs older than network MIDI. */
  peers?: RememberedPeer[];
}

/** A network peer to reconnect to. */
export interface RememberedPeer {
  /** Key in its port ids. */
  key: string;
  name: string;
  address: string;
  /** Its control port, for inviting it. */
  port: number;
  weInvite: boolean;
  /** Receive buffer: playout delay after the send time, ms. */
  bufferMs: number;
  /** It came with a file and counts as a stranger: neither invited nor let in until somebody confirms it here. */
  fromFile?: boolean;
}

/** What makes the gear play during a take. */
export type Drive = 'clock' | 'notes';

/** Whatever leads, on an input of its own: its sound takes the place of the click. `leaderId` if it is in the rig. */
export interface HeardLeader {
  leader: string;
  leaderId: string | null;
}

/**
 * The plan of an experiment and how it went. Times are ms from the first sample; while recording, of the window's
 * clock.
 */
export type TakePlan =
  /** Audio round trip: the click out of the computer and back. */
  | { question: 'calibration' }
  | ({ question: 'against' } & HeardLeader)
  /** Repeated starts of the leader, by the pauses in its sound. */
  | ({ question: 'startsBySound' } & HeardLeader)
  /** The leader’s sound against its own sync; `syncOffsetMs` in force at the time. */
  | { question: 'leaderSound'; leader: string; leaderId: string; syncOffsetMs: number }
  /** Clock, notes and timecode that come back on an input port, against the hub: times of the window's clock. */
  | { question: 'midiReturn'; port: string }
  /** MIDI round trip through a cable; the second line is how long the hub takes to pass its notes on. */
  | { question: 'loop' }
  /** Repeated timecode starts. */
  | { question: 'chase'; startedMs: number[] }
  /** Repeated starts of clock followers, from this beat of the song; `port` if they were timed by MIDI, without sound. */
  | { question: 'starts'; startedMs: number[]; fromBeat: number; port?: string }
  /** This many beats at one tempo, after a step at another, on a ramp back, and at the first again. */
  | { question: 'tempo'; beganMs: number; bpm: number; otherBpm: number; beats: number }
  /** The tempo changes of the song, or those that somebody makes: `tempo` is the song’s map, empty if it isn’t known. */
  | ({ question: 'tempoRun'; beganMs: number; tempo: TempoPoint[] } & Partial<HeardLeader>)
  /** A long run that stores landings instead of audio; against a leader’s sound, a take. */
  | ({ question: 'drift' } & Partial<HeardLeader>)
  /** Test notes after changes between two programs. */
  | { question: 'program'; programs: [PatchNumber, PatchNumber]; notes: ProgramNote[] };

/** An experiment's result for one follower. */
export type TakeResult =
  | { question: 'chase'; report: ChaseReport }
  | { question: 'starts'; report: ChaseReport }
  | { question: 'tempo'; step: FollowingReport; ramp: FollowingReport }
  | { question: 'tempoRun'; report: TempoRunReport }
  | { question: 'drift'; report: DriftReport }
  | { question: 'program'; report: ProgramReport };

export interface TakeLine {
  gearId: string | null;
  name: string;
  channel: number;
  /** The offset during the measurement. */
  offsetMs: number;
  /** Its output port and device offset at the time. */
  wiredTo?: string | null;
  ownOffset?: number;
  /** Null if it couldn't be measured; `problem` says why. */
  report: (LatencyReport & Partial<Pick<RecordingReport, 'bleedDb' | 'besideDb' | 'findings'>>) | null;
  problem?: string;
  /** A problem with the audio that doesn't invalidate the result. */
  warning?: string;
  result?: TakeResult;
  /** Corrections by hand, by pulse: lateness in ms; null excludes the beat. */
  corrections?: Record<string, number | null>;
  landings: Landing[];
  pulsesMs: number[];
  onsetsMs: number[];
  /** Its offset was changed during the take. */
  moved?: boolean;
  /** When devices took turns on one input: the time span of this one. Times as in the plan. */
  within?: [fromMs: number, toMs: number];
}

/** A take's beat reference: a click channel, a fixed tempo from a first beat, or the beats of a song. */
export type TakeBeats = { clickChannel: number } | TempoBeats | SongBeats;

/** Beats by a song's tempo map, with its sections. */
export interface SongBeats {
  /** Of each quarter note, ms from the first sample. */
  beatsMs: number[];
  sections: SectionStart[];
}

/** What made the device play on a recording: the hub, or the notes or clock of a program. */
export type PlayedBy = 'hub' | 'notes' | 'clock';

/** Beats by the hub's time, or by the frames at which its clicks were played. */
export interface TempoBeats {
  bpm: number;
  firstBeatMs: number;
  /** The audio round trip that is part of them, ms. */
  roundTripMs?: number;
  /** When each click is due on the recording, ms from its first sample: counted, not timed. */
  clicksMs?: number[];
}

export type TakeKind = 'take' | 'proof' | 'recording' | TakePlan['question'];

/** One measuring pass, with the raw data it was computed from. */
export interface Take {
  id: string;
  rigId: string;
  /** For the Logbook's index; derived from the other fields. */
  kind: TakeKind;
  gearIds: string[];
  /** Epoch milliseconds. */
  startedAt: number;
  source: 'live' | 'recording';
  /** Made after offsets were applied, to show what is left. */
  proof: boolean;
  status: 'recording' | 'done' | 'interrupted';
  /** Why a take ended early. */
  ending?: string;
  sampleRate: number;
  frames: number;
  bpm: number | null;
  /** Of the time signature it was played in; 4 if it isn't known. */
  beatsPerBar?: number;
  drive: Drive | null;
  input: string;
  /** Id of the audio source. */
  inputSource?: string;
  /** Number of audio dropouts, for example when the computer was too busy. */
  gaps?: number;
  beats: TakeBeats;
  /** Of a recording; missing if the hub did. */
  playedBy?: PlayedBy;
  /** Its first sample, as a frame of the audio context that also plays the clicks. */
  firstFrame?: number;
  /** Missing for a plain latency take. */
  plan?: TakePlan;
  /** The leader: the hub, or a device by its id. Missing in older takes, and where the hub only listened. */
  ledBy?: string;
  /** The user's note. */
  note?: string;
  /** App version, and the sound card's reported buffer latency at the time, ms. */
  conditions?: { version: string; bufferMs: number | null };
  lines: TakeLine[];
  /** Duration of the analysis. */
  computeMs?: number;
}

/** A measurement of an incoming clock, computed from its ticks. */
export interface ClockTake {
  id: string;
  rigId: string;
  /** Epoch milliseconds. */
  startedAt: number;
  status: 'recording' | 'done' | 'interrupted';
  ending?: string;
  portId: string;
  /** Name of the device that sends the clock. */
  name: string;
  gearIds: string[];
  ticks: number;
  /** The port that carried test traffic, and the take without traffic to compare with. */
  traffic?: { portId: string; quietId: string };
  /** The other clock recorded at the same time. */
  against?: { portId: string; name: string };
  result: ClockResult | null;
  /** Why it couldn't be measured. */
  problem?: string;
  /** Duration of the analysis. */
  computeMs?: number;
}

export interface ClockResult {
  report: ClockReport;
  intervalMs: number;
  seconds: number;
  /** Relative to the nearest tenth of a BPM. */
  drift: DriftReport & { againstBpm: number };
  wander: Wander;
  /** Comparison with the other clock, if there was one. */
  comparison?: ClockComparison;
  /** The time error at screen resolution: lowest and highest of each stretch, ms. */
  trace: { seconds: number; low: number; high: number }[];
  /** Ticks per bin of time error. */
  histogram: { fromMs: number; toMs: number; count: number }[];
}

/** A named set of offsets, with the conditions they were measured in. */
export interface OffsetSet {
  id: string;
  rigId: string;
  name: string;
  /** Epoch milliseconds. */
  savedAt: number;
  bpm: number;
  /** Names of its sections; empty for a manual tempo. */
  song: string;
  input: string;
  inputSource: string;
  sampleRate: number | null;
  bufferMs: number | null;
  offsets: { gearId: string; name: string; offsetMs: number; own: number; wiredTo: string | null }[];
}

/** A measured audio round trip of an interface. */
export interface Calibration {
  /** Name and sample rate of the input. */
  input: string;
  sampleRate: number;
  /** The input's id; another device may have the same name. */
  source?: string;
  /** The loopback input, from 0. */
  channel?: number;
  roundTripMs: number;
  bufferMs: number | null;
  takeId: string;
  /** Epoch milliseconds. */
  at: number;
}

/**
 * Up to half a second of a clock's ticks, in ms of the window's clock; for a long run, its landings, three numbers
 * each.
 */
export interface TickChunk {
  takeId: string;
  index: number;
  times: Float64Array;
}

/** Up to a second of a take's audio. */
export interface SoundChunk {
  takeId: string;
  index: number;
  channels: Float32Array[];
}

/** Events beside takes: offsets applied, rig changes, faults, imports. */
export type EventKind = 'offsets' | 'rig' | 'fault' | 'data' | 'link';

export interface HistoryEvent {
  id: string;
  rigId: string;
  /** Epoch milliseconds. */
  at: number;
  kind: EventKind;
  /** One line of text each. */
  lines: string[];
  gearIds: string[];
  /** For faults: whether this is the end of one. */
  recovered?: boolean;
  /** For offsets: old and new value of each, ms. */
  moves?: OffsetMove[];
  /** For a link measurement: the peer, and every clock exchange. */
  link?: LinkData;
}

export interface LinkData {
  peerKey: string;
  peerName: string;
  weInvite: boolean;
  /** The buffer at the time, ms. */
  bufferMs: number;
  records: ExchangeRecord[];
}

export interface OffsetMove {
  gearId: string;
  name: string;
  fromMs: number;
  toMs: number;
}

/** Captured or imported messages. */
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

/** A chunk of its messages, in order; times in ms from the start. */
export interface CapturedPiece {
  streamId: string;
  index: number;
  messages: CapturedMessage[];
}

/** A damaged record, moved out of the way unchanged. */
export interface SetAside {
  number: number;
  table: string;
  /** Epoch milliseconds. */
  at: number;
  /** What is wrong with it. */
  problem: string;
  record: unknown;
}
