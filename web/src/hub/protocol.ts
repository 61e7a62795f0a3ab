import type {
  Feed,
  HubCommand,
  HubSnapshot,
  PortRoute,
  SongSettings,
  SoundBlock,
  SourceSettings,
  TimedMessage,
} from '@metronomo/core';
import type { WireDoor, WireState } from '../network/wire-socket';
/** Bytes for a port of the window, due at a time of the window's clock, in ms. */
export interface PortMessage {
  portId: string;
  bytes: Uint8Array;
  atMs: number;
}

/**
 * Messages on their way from thread to thread. Small objects, two thousand a second, would be garbage that stops
 * either thread when it is collected.
 */
export interface PackedMessages {
  portIds: string[];
  /** One of the ids for each message. */
  ports: Uint16Array;
  atMs: Float64Array;
  /** Where each message ends among the bytes. */
  ends: Uint32Array;
  bytes: Uint8Array<ArrayBuffer>;
}

/** Bytes at a time, in ms. */
export interface TimedBytes {
  atMs: number;
  bytes: Uint8Array;
}

/** A message that came in or went out, as the hub keeps it for the ribbon. */
export interface LoggedMessage extends PortMessage {
  /** Counted from 1, in the order in which they were noted. */
  number: number;
  direction: 'in' | 'out';
}

export type MessageKind = 'clock' | 'transport' | 'timecode' | 'notes' | 'other';

/** So many lines the folded ribbon shows. */
export const RIBBON_LINES = 6;

/** The newest message of a kind at a port, for the folded ribbon. */
export interface RibbonLine {
  portId: string;
  direction: 'in' | 'out';
  kind: MessageKind;
  bytes: Uint8Array;
}

export type FromHub =
  /**
   * `lastWakeMs`: when the hub planned before this, for what it plans; `atOnce`: notes that are carried through, due as
   * soon as they can be.
   */
  | { kind: 'send'; messages: PackedMessages; lastWakeMs: number | null; atOnce: boolean }
  | { kind: 'snapshot'; snapshot: HubSnapshot; atMs: number; ribbon: RibbonLine[] }
  | { kind: 'block'; block: SoundBlock }
  | { kind: 'network'; state: WireState };

/** What the window tells the hub without waiting for an answer. */
export type ToHub =
  | ({ kind: 'received' } & PortMessage)
  /** What the hub planned was in the ports so long after it had planned before. */
  | { kind: 'needed'; ms: number };

/** What somebody who stands before a stand-in can do. */
export type StandInAction =
  | { kind: 'play' | 'stop' }
  | { kind: 'tempo'; bpm: number }
  | { kind: 'cable'; plugged: boolean }
  | { kind: 'press'; note: number; velocity: number };

export interface HubWorkerApi {
  /** `timeOrigin`: the window's, so that both speak of the same milliseconds. */
  start(timeOrigin: number, bpm: number, toWindow: MessagePort, toMeasure: MessagePort): void;
  /** Stops, and sends nothing after that. */
  end(): Promise<void>;
  setSong(song: SongSettings): void;
  setFeeds(feeds: Feed[]): void;
  setSources(sources: SourceSettings[]): void;
  setLeaders(order: string[]): void;
  setRoutes(routes: PortRoute[]): void;
  command(command: HubCommand): void;
  /** What a feed's offset is now, ms: leaning on it moves it. */
  offsetOf(feedId: string): number | null;
  /** The speakers need the hub's own click so long before it is due, besides. */
  handOverClickEarly(ms: number): void;
  /** Sends bytes down a line, beside everything else that the hub sends. */
  sendTest(messages: PortMessage[]): void;
  /** What arrives at a port is kept from now on; null keeps nothing more. Gives what was kept before. */
  keepArrivals(portId: string | null): TimedMessage[];
  /** When each tick of clock arrives at these ports is kept from now on, in ms of the window's clock; none ends that. */
  captureTicks(portIds: string[]): void;
  /** What was kept since it was asked last, by port in the same order; null when more came than any clock sends. */
  takeTicks(): Float64Array[] | null;
  /** Notes, controllers and dumps go down a line from now on, besides everything else; null ends that. */
  sendTraffic(line: { portId: string; channel: number } | null): void;
  /** The messages after the one with a number, as far as they are still kept; the newest at the most. */
  messagesAfter(number: number, most: number): LoggedMessage[];
  /** Whether everything that goes in and out is kept, whole. */
  capture(on: boolean): void;
  /** What was kept since it was asked last. */
  takeCaptured(): (PortMessage & { direction: 'in' | 'out' })[];
  /** Messages arrive at a port as if they came from outside; null ends that. */
  playBack(stream: { portId: string; messages: TimedBytes[]; zeroMs: number } | null): void;
  /** How many of them have not arrived yet. */
  leftToPlay(): number;
  /** Whether the room of stand-ins is at work, and whether its sound is wanted in the window. Gives its channels. */
  useStudio(on: boolean, listening: boolean): number;
  /** Opens the way to the server, and by it to the peers in the network. */
  openWire(door: WireDoor): void;
  /** Does something at the room's keyboard. */
  atStandIn(action: StandInAction): void;
}

/** What a source of returns sends to the measure worker: captured blocks that follow on from each other. */
export interface ToMeasure {
  sampleRate: number;
  startFrame: number;
  /** In ms of the window's clock; null when the source does not know. */
  startMs: number | null;
  channels: Float32Array[];
}
