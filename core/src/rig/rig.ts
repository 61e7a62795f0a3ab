import { group } from 'd3-array';
import type { FrameRate } from '../timecode/timecode';

/** How bytes travel from one socket to another. */
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
  /** As on the back of the box: A, B, 1, 2, IN ... */
  label: string;
  /** Thru hands on what comes in at the gear's first MIDI in. */
  direction: 'in' | 'out' | 'thru';
  link: LinkKind;
  /** Of the hub's sockets: the port it is, by the browser's or the stand-ins' own name; null when none is adopted. */
  portId?: string | null;
  /** Whether several programs can have it open at a time. */
  shared?: boolean;
  /** Of the hub's ins: whether start, stop, locate and machine control from there are obeyed while the hub leads. */
  obeys?: boolean;
}

/** What gear can do, whatever it is set to. */
export interface Abilities {
  lead: boolean;
  follow: boolean;
  clock: boolean;
  songPosition: boolean;
  /** Start and stop are taken with the clock. */
  startStop: boolean;
  /** The rates it chases or sends; none when it knows no timecode. */
  timecode: readonly FrameRate[];
  mmc: boolean;
  /** It shows the tempo of the clock even while it stands, and shows an old one when none runs. */
  showsTempo: boolean;
  /** It can only begin from the top. */
  fromTopOnly: boolean;
  /** To how many others it can send its clock; null is any number. */
  destinations: number | null;
  /** It has to be started again, or armed again, when its port has been away. */
  rearms: boolean;
  /** Its player turns the tempo while playing. */
  turnsTempo: boolean;
}

/** How gear is set now, in its own menus. */
export interface MenuSettings {
  clockSource: 'internal' | 'external' | 'automatic';
  clockIn: boolean;
  clockOut: boolean;
  /** It hands on what comes in: by a thru socket always, by its outs when this is on. */
  thru: boolean;
  local: boolean;
  /** The channels it hears notes on, 1..16. */
  channels: readonly number[];
}

/** Where gear's offset is entered, and how. */
export interface OffsetPlace {
  where: 'hub' | 'own';
  /** What stands in its own menu now; 0 when nothing was entered. */
  own: number;
  unit: 'ms' | 'samples' | 'ticks';
  /** What a plus there means. */
  plusIs: 'later' | 'earlier';
  step: number;
  /** At which a program counts its samples; 48 000 where nothing is said. */
  sampleRate?: number;
}

export interface RigGear {
  id: string;
  name: string;
  kind: GearKind;
  notes: string;
  sockets: readonly Socket[];
  /** Which input of the interface each of its audio outputs goes to, from 0; null goes nowhere. */
  audioOuts: readonly { label: string; input: number | null }[];
  able: Abilities;
  set: MenuSettings;
  /** The language it is to take its time in, where it follows. */
  takes: 'clock' | 'timecode' | 'nothing';
  rate: FrameRate;
  /** The language in which it says the time, where it leads. */
  gives: 'clock' | 'timecode';
  /** Gear whose feed goes to its port too, so that one clock fans out to many; null where it has a feed of its own. */
  sharesFeedOf: string | null;
  clockWhileStopped: boolean;
  /** The hub's own offset for it; minus is earlier. */
  offsetMs: number;
  offset: OffsetPlace;
}

export interface SocketRef {
  gearId: string;
  socketId: string;
}

export interface Cable {
  id: string;
  from: SocketRef;
  to: SocketRef;
  /** Notes and controllers it carries, in messages a second at the most; none when only time runs over it. */
  notesPerSecond: number;
}

/** What may pass along a route. */
export const PASSES = ['notes', 'controllers', 'programs', 'bends'] as const;
export type Passes = Readonly<Record<(typeof PASSES)[number], boolean>>;

/** Notes and controllers that the hub carries from one of its ins to one of its outs. Two to one out are merged there. */
export interface NoteRoute {
  id: string;
  /** Sockets of the hub. */
  from: string;
  to: string;
  /** 1..16; null is every channel. */
  fromChannel: number | null;
  /** 1..16; null leaves the channel as it is. */
  toChannel: number | null;
  passes: Passes;
}

/** The gear, its sockets, the cables between them, and who leads. */
export interface RigPlan {
  gear: readonly RigGear[];
  cables: readonly Cable[];
  /** Gear ids in the order in which they lead; the first one does. */
  leaders: readonly string[];
  routes?: readonly NoteRoute[];
}

/** The hub is a member of the rig like any other. */
export const HUB_ID = 'hub';

/** How many sockets a cable must leave to be one wire: DIN sockets take one cable, the others are no wires. */
export function takesOneCable(socket: Socket): boolean {
  return socket.link === 'din';
}

interface Index {
  readonly gear: ReadonlyMap<string, RigGear>;
  readonly from: ReadonlyMap<string, Cable[]>;
  readonly to: ReadonlyMap<string, Cable[]>;
}

/** Rigs do not change, so what is looked up in one is found once. */
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
 * @throws RigError in words for a musician, when it cannot be plugged in.
 */
export function plugIn(rig: RigPlan, cable: Cable): RigPlan {
  const problem = obstacleToCable(rig, cable);
  if (problem !== null) throw new RigError(problem);
  return { ...rig, cables: [...rig.cables, cable] };
}

/** Why a cable cannot be plugged in, in words; null when it can. */
export function obstacleToCable(rig: RigPlan, { from, to }: Pick<Cable, 'from' | 'to'>): string | null {
  const [source, target] = [socketOf(rig, from), socketOf(rig, to)];
  if (!source || !target) return 'One end of the cable has no socket.';
  if (from.gearId === to.gearId) return 'A cable goes from one piece of gear to another, not back to the same.';
  if (source.direction === 'in') return `A cable begins at an out or a thru; ${source.label} is an in.`;
  if (target.direction !== 'in')
    return `A cable ends at an in; ${target.label} is ${target.direction === 'out' ? 'an out' : 'a thru'}.`;
  if (source.link !== target.link)
    return `${source.label} is ${LINK_WORDS[source.link]} and ${target.label} is ${LINK_WORDS[target.link]}: no cable joins them.`;
  const taken = (ref: SocketRef, side: 'from' | 'to') =>
    rig.cables.some((cable) => cable[side].gearId === ref.gearId && cable[side].socketId === ref.socketId);
  if (takesOneCable(source) && taken(from, 'from'))
    return `${source.label} has a cable in it already. Use a thru or a split box.`;
  if (takesOneCable(target) && taken(to, 'to')) return `${target.label} has a cable in it already. Use a merge box.`;
  const is = (a: SocketRef, b: SocketRef) => a.gearId === b.gearId && a.socketId === b.socketId;
  const same = rig.cables.some((cable) => is(cable.from, from) && is(cable.to, to));
  return same ? 'These two are connected already.' : null;
}

const LINK_WORDS: Readonly<Record<LinkKind, string>> = {
  din: 'a five-pin socket',
  usb: 'USB',
  loopback: 'a loopback port',
  network: 'on the network',
  tablet: 'a tablet’s cable',
};
