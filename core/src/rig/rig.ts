import { group } from 'd3-array';
import type { BeatTrigger, Patch, StandingCode } from '../feed/feed-settings';
import type { FrameRate } from '../timecode/timecode';

/** The physical or virtual kind of a connection. */
export type LinkKind = 'din' | 'usb' | 'loopback' | 'network' | 'tablet';

export type GearKind =
  | 'hub'
  | 'beatBox'
  | 'synthesizer'
  | 'sampler'
  | 'recorder'
  | 'audioProgram'
  | 'tablet'
  | 'lightingDesk'
  | 'effect'
  | 'splitBox'
  | 'keyboard'
  | 'other';

export interface Socket {
  id: string;
  /** As printed on the device: A, B, 1, 2, IN ... */
  label: string;
  /** A thru repeats the device's first MIDI in. */
  direction: 'in' | 'out' | 'thru';
  link: LinkKind;
  /** For hub sockets: the id of the MIDI port; null if none is assigned. */
  portId?: string | null;
  /** Whether several apps can open it at the same time. */
  shared?: boolean;
  /** For hub outputs: send sync on this wire even if it reaches whoever leads. */
  sendsToLeader?: boolean;
  /** For hub inputs: accept start, stop, locate and machine control from this port while the hub leads. */
  obeys?: boolean;
}

/** Capabilities of a device, whatever its settings. */
export interface Abilities {
  lead: boolean;
  follow: boolean;
  clock: boolean;
  songPosition: boolean;
  /** Follows start and stop along with the clock. */
  startStop: boolean;
  /** Frame rates it chases or sends; empty if it doesn't support timecode. */
  timecode: readonly FrameRate[];
  mmc: boolean;
  /** Shows the incoming tempo even when stopped; outdated if no clock runs. */
  showsTempo: boolean;
  /** Can only start from the top. */
  fromTopOnly: boolean;
  /** How many devices it can send clock to; null is unlimited. */
  destinations: number | null;
  /** Has to be restarted, or armed again, after its port was reconnected. */
  rearms: boolean;
  /** The player changes its tempo live. */
  turnsTempo: boolean;
}

/** The device's own settings. */
export interface MenuSettings {
  clockSource: 'internal' | 'external' | 'automatic';
  clockIn: boolean;
  clockOut: boolean;
  /** Repeats what comes in: always on a thru socket, on its outs if this is on. */
  thru: boolean;
  local: boolean;
  /** Receive channels, 1..16. */
  channels: readonly number[];
}

/** Where and how a device's offset is set. */
export interface OffsetPlace {
  where: 'hub' | 'own';
  /** The value set on the device; 0 if none. */
  own: number;
  unit: 'ms' | 'samples' | 'ticks';
  /** The meaning of a positive value. */
  plusIs: 'later' | 'earlier';
  step: number;
  /** Sample rate of an offset in samples; 48,000 by default. */
  sampleRate?: number;
}

export interface RigGear {
  id: string;
  name: string;
  kind: GearKind;
  notes: string;
  sockets: readonly Socket[];
  /** The interface input that each audio output goes to, from 0; null if none. */
  audioOuts: readonly { label: string; input: number | null }[];
  able: Abilities;
  set: MenuSettings;
  /** What it syncs to as a follower. */
  syncsTo: 'clock' | 'timecode' | 'nothing';
  rate: FrameRate;
  /** What it sends as a leader. */
  leadsWith: 'clock' | 'timecode';
  clockWhileStopped: boolean;
  /** The hub's offset for it; minus is earlier. */
  offsetMs: number;
  offset: OffsetPlace;
  /** What it is sent of MIDI clock; by default, all it supports. */
  sends?: { clock: boolean; transport: boolean; position: boolean };
  /** Whether it is also sent machine control. */
  mmc?: boolean;
  /** Whether machine control may switch its recording on. */
  mayRecord?: boolean;
  /** Whether machine control sends it pause instead of stop. */
  pauses?: boolean;
  /** How timecode is sent to it while it stands, and where it goes after a stop. */
  standingCode?: StandingCode;
  afterStop?: 'stay' | 'toStart' | 'runOn';
  /** Its clock rate relative to the hub's tempo; 1 by default. */
  clockRate?: 0.5 | 1 | 2;
  triggers?: readonly BeatTrigger[];
  /** Its sounds, by ascending beat. */
  patches?: readonly Patch[];
}

export interface SocketRef {
  gearId: string;
  socketId: string;
}

export interface Cable {
  id: string;
  from: SocketRef;
  to: SocketRef;
  /** Peak rate of notes and controllers on the cable, messages per second; 0 for sync only. */
  notesPerSecond: number;
}

/** Message kinds a route can carry. */
export const PASSES = ['notes', 'controllers', 'programs', 'bends'] as const;
export type Passes = Readonly<Record<(typeof PASSES)[number], boolean>>;

/**
 * Notes and controllers that the hub carries from one of its inputs to one of its outputs. Routes into the same output
 * are merged.
 */
export interface NoteRoute {
  id: string;
  /** Hub socket ids. */
  from: string;
  to: string;
  /** 1..16; null is every channel. */
  fromChannel: number | null;
  /** 1..16; null leaves the channel as it is. */
  toChannel: number | null;
  passes: Passes;
  /** Only notes from the first to the second of these, 0..127; all by default. */
  range?: readonly [low: number, high: number] | null | undefined;
}

/** The gear, its sockets, the cables, and the fallback order. */
export interface RigPlan {
  gear: readonly RigGear[];
  cables: readonly Cable[];
  /** The fallback order as gear ids; the first one leads. */
  leaders: readonly string[];
  /** Whether the first of them leads, or whoever starts to play; the first by default. */
  takeOver?: 'inOrder' | 'whoeverPlays';
  routes?: readonly NoteRoute[];
}

/** The hub is a member of the rig like any other. */
export const HUB_ID = 'hub';

/** DIN sockets take a single cable; the other kinds are ports and take any number. */
export function takesOneCable(socket: Socket): boolean {
  return socket.link === 'din';
}

interface Index {
  readonly gear: ReadonlyMap<string, RigGear>;
  readonly from: ReadonlyMap<string, Cable[]>;
  readonly to: ReadonlyMap<string, Cable[]>;
}

/** Rigs are immutable, so lookups are memoized. */
const indexes = new WeakMap<RigPlan, Index>();

function indexOf(rig: RigPlan): Index {
  const known = indexes.get(rig);
  if (known) return known;
  const index = {
    gear: new Map(rig.gear.map((one) => [one.id, one])),
    from: group(rig.cables, ({ from }) => from.gearId),
    to: group(rig.cables, ({ to }) => to.gearId),
  };
  indexes.set(rig, index);
  return index;
}

export function gearOf(rig: RigPlan, gearId: string): RigGear | undefined {
  return indexOf(rig).gear.get(gearId);
}

export function socketOf(rig: RigPlan, { gearId, socketId }: SocketRef): Socket | undefined {
  return gearOf(rig, gearId)?.sockets.find(({ id }) => id === socketId);
}

export function cablesFrom(rig: RigPlan, gearId: string): readonly Cable[] {
  return indexOf(rig).from.get(gearId) ?? [];
}

export function cablesTo(rig: RigPlan, gearId: string): readonly Cable[] {
  return indexOf(rig).to.get(gearId) ?? [];
}

export class RigError extends Error {
  override readonly name = 'RigError';
}

/**
 * The rig with one more cable.
 * @throws RigError with a message for the musician if it can't be connected.
 */
export function plugIn(rig: RigPlan, cable: Cable): RigPlan {
  const problem = obstacleToCable(rig, cable);
  if (problem !== null) throw new RigError(problem);
  return { ...rig, cables: [...rig.cables, cable] };
}

/** Why a cable can't be connected, as a sentence; null if it can. */
export function obstacleToCable(rig: RigPlan, { from, to }: Pick<Cable, 'from' | 'to'>): string | null {
  const [source, target] = [socketOf(rig, from), socketOf(rig, to)];
  if (!source || !target) return 'The cable isn’t connected at both ends. Draw it from socket to socket.';
  if (from.gearId === to.gearId) return 'A device can’t be connected to itself. Choose a socket on another device.';
  if (source.direction === 'in') return `${source.label} is an in. Start the cable at an out or a thru.`;
  if (target.direction !== 'in')
    return `${target.label} is ${target.direction === 'out' ? 'an out' : 'a thru'}. End the cable at an in.`;
  if (source.link !== target.link)
    return `${source.label} is ${LINK_WORDS[source.link]} and ${target.label} is ${LINK_WORDS[target.link]}. Connect two of the same type.`;
  const taken = (ref: SocketRef, side: 'from' | 'to') =>
    rig.cables.some((cable) => cable[side].gearId === ref.gearId && cable[side].socketId === ref.socketId);
  if (takesOneCable(source) && taken(from, 'from'))
    return `${source.label} already has a cable. Use a thru or a split box to feed more devices.`;
  if (takesOneCable(target) && taken(to, 'to'))
    return `${target.label} already has a cable. Use a merge box to combine two sources.`;
  const is = (a: SocketRef, b: SocketRef) => a.gearId === b.gearId && a.socketId === b.socketId;
  const same = rig.cables.some((cable) => is(cable.from, from) && is(cable.to, to));
  return same ? 'These two sockets are already connected.' : null;
}

const LINK_WORDS: Readonly<Record<LinkKind, string>> = {
  din: 'a 5-pin DIN socket',
  usb: 'a USB port',
  loopback: 'a loopback port',
  network: 'a network port',
  tablet: 'a tablet cable',
};
