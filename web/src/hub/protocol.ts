import type {
  BarsAhead,
  Feed,
  HubCommand,
  HubSnapshot,
  PortRoute,
  Press,
  Signal,
  SongSettings,
  SoundBlock,
  SourceSettings,
  TakeOver,
  TimedMessage,
} from '@metronomo/core';
import type { Led } from './leader-memory';
import type { WireDoor, WireState } from '../network/wire-socket';
/** Bytes for a port of the window, with their due time in ms of the window's clock. */
export interface PortMessage {
  portId: string;
  bytes: Uint8Array;
  atMs: number;
}

/**
 * Messages in transit between threads, in flat arrays: two thousand small objects a second would cause GC pauses on
 * both sides.
 */
export interface PackedMessages {
  portIds: string[];
  /** Index into the ids, per message. */
  ports: Uint16Array;
  atMs: Float64Array;
  /** End of each message in the bytes. */
  ends: Uint32Array;
  bytes: Uint8Array<ArrayBuffer>;
}

/** Bytes with their time, in ms. */
export interface TimedBytes {
  atMs: number;
  bytes: Uint8Array;
}

/** A message in or out, as logged for the ribbon. */
export interface LoggedMessage extends PortMessage {
  /** Numbered from 1 in the order logged. */
  number: number;
  direction: 'in' | 'out';
}

export type MessageKind = 'clock' | 'transport' | 'timecode' | 'notes' | 'other';

/** Lines in the collapsed ribbon. */
export const RIBBON_LINES = 6;

/** The newest message of a kind on a port, for the collapsed ribbon. */
export interface RibbonLine {
  portId: string;
  direction: 'in' | 'out';
  kind: MessageKind;
  bytes: Uint8Array;
}

/** A message that was played on an input, and where in the song, in quarter notes. */
export interface PlayedNote {
  portId: string;
  beat: number;
  bytes: Uint8Array;
}

export type FromHub =
  /** `lastWakeMs`: the previous wake-up, for scheduled messages; `atOnce`: routed notes, due immediately. */
  | { kind: 'send'; messages: PackedMessages; lastWakeMs: number | null; atOnce: boolean }
  | { kind: 'snapshot'; snapshot: HubSnapshot; atMs: number; ribbon: RibbonLine[] }
  | { kind: 'block'; block: SoundBlock }
  /** A control went down or was let go of; `learned`: the one asked for. */
  | { kind: 'pressed'; portId: string; press: Press; learned: boolean }
  | { kind: 'network'; state: WireState };

/** One-way messages from the window to the hub. */
export type ToHub =
  | ({ kind: 'received' } & PortMessage)
  /** Delay from one wake-up until the next one's output was in the ports. */
  | { kind: 'needed'; ms: number }
  /** The window isn't busy: what came in by its ports until then has been passed on. */
  | { kind: 'passedOn'; untilMs: number };

/** Front panel actions of a stand-in. */
export type StandInAction =
  | { kind: 'play' | 'stop' }
  | { kind: 'tempo'; bpm: number }
  | { kind: 'cable'; plugged: boolean }
  | { kind: 'press'; note: number; velocity: number };

export interface HubWorkerApi {
  /**
   * `timeOrigin`: the window's, so that both use the same clock. `afterMs`: nothing is due before then, as a hub that was
   * lost has handed messages over up to there. `led`: the clock that led it.
   */
  start(timeOrigin: number, bpm: number, toWindow: MessagePort, afterMs: number, led: Led | null): void;
  /** Stops, and sends nothing after that. */
  end(): Promise<void>;
  setSong(song: SongSettings): void;
  setFeeds(feeds: Feed[]): void;
  setSources(sources: SourceSettings[]): void;
  setLeaders(order: string[], takeOver: TakeOver): void;
  setRoutes(routes: PortRoute[]): void;
  command(command: HubCommand): void;
  /** When whole bars will be played; see the hub. In ms of the window's clock. */
  barsAhead(bars: number, settleBars: number): BarsAhead | null;
  /** Hands over what is due while the window will be busy for a moment. */
  planAhead(): void;
  /** A feed's current offset, ms, including nudges. */
  offsetOf(feedId: string): number | null;
  /** Extra lead of the hub's click for the audio output, ms. */
  handOverClickEarly(ms: number): void;
  /** Sends test bytes beside everything else. */
  sendTest(messages: PortMessage[]): void;
  /** Starts recording what arrives on a port; null stops. Returns what was recorded before. */
  keepArrivals(portId: string | null): TimedMessage[];
  /** Starts recording the arrival of clock ticks on these ports, in ms of the window's clock; an empty list stops. */
  captureTicks(portIds: string[]): void;
  /** The ticks since the last call, per port in the same order; null if there were more than any clock sends. */
  takeTicks(): Float64Array[] | null;
  /** Sends test traffic (notes, controllers, dumps) down a line beside everything else; null stops. */
  sendTraffic(line: { portId: string; channel: number } | null): void;
  /** The messages after a given number that are still kept, newest at most. */
  messagesAfter(number: number, most: number): LoggedMessage[];
  /** The signals to report when they are pressed. */
  watchSignals(signals: { portId: string; signal: Signal }[]): void;
  /** Whether to report the next thing pressed on any port, once. */
  learnSignal(on: boolean): void;
  /** Starts or stops recording what is played on the inputs while the song plays; returns what was recorded. */
  recordNotes(on: boolean): PlayedNote[];
  /** Whether to record every message in full. */
  capture(on: boolean): void;
  /** The messages recorded since the last call. */
  takeCaptured(): (PortMessage & { direction: 'in' | 'out' })[];
  /** Plays messages into a port as if they arrived from outside; null stops. */
  playBack(stream: { portId: string; messages: TimedBytes[]; zeroMs: number } | null): void;
  /** How many of them are left. */
  leftToPlay(): number;
  /** Turns the stand-in room on, with its audio to that port and the window, or off. */
  useStudio(sound: MessagePort | null): { channels: number; sampleRate: number };
  /** Connects to the server and its network peers. */
  openWire(door: WireDoor): void;
  /** Operates the stand-in keyboard. */
  atStandIn(action: StandInAction): void;
}

/** Audio from an input to the measure worker: contiguous captured blocks. */
export interface ToMeasure {
  sampleRate: number;
  startFrame: number;
  /** In ms of the window's clock; null if the source doesn't know it. */
  startMs: number | null;
  /** Whether its frames are those of the audio context, which also plays the clicks. */
  counted?: boolean;
  channels: Float32Array[];
}
