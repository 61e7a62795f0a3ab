import { HUB_ID, type GearKind, type LinkKind, type Socket } from '@metronomo/core';
import { gear } from './gear';
import type { Gear, Rig } from './records';
import { connect } from './rig-plan';

/** A common studio, ready to be given its own ports. */
export interface Recipe {
  id: string;
  name: string;
  says: string;
  build(bare: Rig): Rig;
}

const everything = { clock: true, transport: true, position: true };

/** A device on an output of the hub whose port is chosen later. */
interface Placed {
  id: string;
  kind: GearKind;
  name: string;
  /** The hub's sockets, as they are labeled until a port is chosen. */
  out?: string;
  in?: string;
  change?: Partial<Gear>;
}

function withGear(rig: Rig, { id, kind, name, change, ...sockets }: Placed): Rig {
  const one = gear({ id, kind, name, ...change });
  const added = { ...rig, gear: [...rig.gear, { ...one, sends: sendsOf(one) }] };
  return (['out', 'in'] as const).reduce((done, direction) => {
    const label = sockets[direction];
    return label === undefined ? done : cabled(done, one, direction, label);
  }, added);
}

/** All that the device understands. */
function sendsOf({ able, sends }: Gear): Gear['sends'] {
  return able.songPosition ? everything : sends;
}

function cabled(rig: Rig, one: Gear, direction: 'in' | 'out', label: string): Rig {
  const own = one.sockets.find((socket) => socket.direction === (direction === 'out' ? 'in' : 'out'));
  if (!own) return rig;
  const known = rig.hubSockets.find((socket) => socket.label === label && socket.direction === direction);
  const link: LinkKind = own.link;
  const socket: Socket = known ?? { id: `${direction} ${label}`, label, direction, link, portId: null };
  const ready = known ? rig : { ...rig, hubSockets: [...rig.hubSockets, socket] };
  const atHub = { gearId: HUB_ID, socketId: socket.id };
  const atGear = { gearId: one.id, socketId: own.id };
  return direction === 'out' ? connect(ready, atHub, atGear) : connect(ready, atGear, atHub);
}

/** Its own clock is on, because it leads. */
function leading(rig: Rig, gearId: string): Rig {
  return {
    ...rig,
    leaders: [gearId, HUB_ID],
    gear: rig.gear.map((one) =>
      one.id === gearId ? { ...one, set: { ...one.set, clockSource: 'internal', clockOut: true } } : one,
    ),
  };
}

const drums: Placed = { id: 'drums', kind: 'beatBox', name: 'Drum machine', out: 'Drum machine' };
const synth: Placed = { id: 'synth', kind: 'synthesizer', name: 'Synthesizer', out: 'Synthesizer' };
const program: Placed = { id: 'program', kind: 'audioProgram', name: 'Audio program', out: 'Loopback' };
const recorder: Placed = { id: 'recorder', kind: 'recorder', name: 'Recorder', out: 'Recorder' };
const tablet: Placed = { id: 'tablet', kind: 'tablet', name: 'Tablet', out: 'Tablet' };
const lights: Placed = {
  id: 'lights',
  kind: 'lightingDesk',
  name: 'Lighting desk',
  out: 'Lights',
  change: {
    triggers: [
      {
        id: 'beat',
        every: 1,
        sends: { kind: 'note', channel: 16, note: 60, velocity: 100 },
        inSections: {},
      },
    ],
    set: { ...gear({ id: '', name: '', kind: 'lightingDesk' }).set, channels: [16] },
  },
};
const of =
  (...placed: Placed[]) =>
  (bare: Rig) =>
    placed.reduce(withGear, bare);

/** From the smallest to everything at once. */
export const RECIPES: readonly Recipe[] = [
  {
    id: 'drums',
    name: 'One drum machine',
    says: 'The hub leads a drum machine.',
    build: of(drums),
  },
  {
    id: 'programLeads',
    name: 'Program leads',
    says: 'An audio program leads; a drum machine and a synthesizer follow.',
    build: (bare) => leading(of({ ...program, in: 'From program' }, drums, synth)(bare), 'program'),
  },
  {
    id: 'boxLeads',
    name: 'Drum machine leads',
    says: 'A drum machine leads; an audio program follows.',
    build: (bare) => leading(of({ ...drums, in: 'From drum machine' }, program)(bare), 'drums'),
  },
  {
    id: 'twoPrograms',
    name: 'Two programs',
    says: 'The hub leads two audio programs through loopback ports.',
    build: of(program, { ...program, id: 'second', name: 'Second program', out: 'Loopback 2' }),
  },
  {
    id: 'tablet',
    name: 'Tablet over the network',
    says: 'The hub leads a drum machine by cable, and a tablet over network MIDI.',
    build: of(drums, tablet),
  },
  {
    id: 'timecode',
    name: 'Recorder by timecode',
    says: 'The hub leads a recorder by timecode, and a drum machine by clock.',
    build: of(recorder, drums),
  },
  {
    id: 'lights',
    name: 'Lights on the beat',
    says: 'The hub leads a drum machine, and a lighting desk gets a note on every beat.',
    build: of(drums, lights),
  },
  {
    id: 'everything',
    name: 'Everything at once',
    says: 'Drum machine, synthesizer, audio program, tablet, recorder and lights.',
    build: of(drums, synth, program, tablet, recorder, lights),
  },
];
