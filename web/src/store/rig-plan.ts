import {
  HUB_ID,
  hubGear,
  obstacleToCable,
  portsOfGear,
  RigError,
  socketOf,
  type Cable,
  type Cure,
  type RigPlan,
  type Socket,
  type SocketRef,
} from '@metronomo/core';
import { peerKeyOf } from '../ports/port-ids';
import type { Gear, Rig, Song } from './records';

/** The rig as the line check and the diagram see it, with the hub as a device. */
export function planOf(rig: Rig): RigPlan {
  const { cables, leaders, routes, takeOver = 'inOrder' } = rig;
  return { gear: [hubGear(rig.hubSockets), ...rig.gear], cables, leaders, routes, takeOver };
}

/**
 * A device's output port is the one whose wire reaches it: over its own cable, a thru, or a split box. One that joins a
 * wire takes on the offset that is sent there.
 */
export function withPorts(rig: Rig): Rig {
  const ports = portsOfGear(planOf(rig));
  const gear = rig.gear.map((one) => {
    const portId = ports.get(one.id) ?? null;
    const stays = ({ id, portId: before, syncsTo }: Gear) =>
      before === portId && ports.get(id) === portId && syncsTo === one.syncsTo;
    const joined = portId === null || portId === one.portId ? undefined : rig.gear.find(stays);
    return { ...one, portId, offsetMs: joined?.offsetMs ?? one.offsetMs };
  });
  return { ...rig, gear };
}

/** The devices that the hub's offset of this one moves as well: those on the same wire with the same kind of sync. */
export function movesWith(rig: Rig, gear: Gear): Gear[] {
  if (gear.portId === null) return [gear];
  return rig.gear.filter(({ portId, syncsTo }) => portId === gear.portId && syncsTo === gear.syncsTo);
}

/** The rig with the hub's offset for a device, and for everyone that moves with it. */
export function withOffset(rig: Rig, gearId: string, offsetMs: number): Rig {
  const gear = rig.gear.find(({ id }) => id === gearId);
  const moved = new Set(gear ? movesWith(rig, gear) : []);
  return { ...rig, gear: rig.gear.map((one) => (moved.has(one) ? { ...one, offsetMs } : one)) };
}

/** @throws RigError with a message for the musician if they can't be connected. */
export function connect(rig: Rig, from: SocketRef, to: SocketRef): Rig {
  const problem = obstacleToCable(planOf(rig), { from, to });
  if (problem !== null) throw new RigError(problem);
  const cable: Cable = { id: crypto.randomUUID(), from, to, notesPerSecond: 0 };
  return withPorts({ ...rig, cables: [...rig.cables, cable] });
}

/** A new cable between two sockets, whichever was named first. */
export function endsOf(rig: Rig, one: SocketRef, other: SocketRef): { from: SocketRef; to: SocketRef } {
  const goesIn = socketOf(planOf(rig), one)?.direction === 'in';
  return goesIn ? { from: other, to: one } : { from: one, to: other };
}

/** Every socket that a cable fits whose one end is in this one. */
export function fittingSockets(rig: Rig, socket: SocketRef): SocketRef[] {
  const plan = planOf(rig);
  return plan.gear
    .flatMap((gear) => gear.sockets.map(({ id }) => ({ gearId: gear.id, socketId: id })))
    .filter((other) => obstacleToCable(plan, endsOf(rig, socket, other)) === null);
}

export function disconnect(rig: Rig, cableId: string): Rig {
  return withPorts({ ...rig, cables: rig.cables.filter(({ id }) => id !== cableId) });
}

/** The rig with a hub socket for a port. */
export function addPort(rig: Rig, portId: string, label: string, direction: 'in' | 'out' = 'out'): Rig {
  const known = (socket: Socket) => socket.portId === portId && socket.direction === direction;
  if (rig.hubSockets.some(known)) return rig;
  const id = direction === 'in' ? `${portId} in` : portId;
  const link = peerKeyOf(portId) === null ? 'din' : 'network';
  const socket: Socket = { id, label: label.slice(0, 40), direction, link, portId };
  return { ...rig, hubSockets: [...rig.hubSockets, socket] };
}

/** The rig without one of the hub's sockets, its cables and its routes. */
export function withoutSocket(rig: Rig, socketId: string): Rig {
  const atHub = ({ gearId, ...ref }: SocketRef) => gearId === HUB_ID && ref.socketId === socketId;
  return withPorts({
    ...rig,
    hubSockets: rig.hubSockets.filter(({ id }) => id !== socketId),
    cables: rig.cables.filter(({ from, to }) => !atHub(from) && !atHub(to)),
    routes: rig.routes.filter(({ from, to }) => from !== socketId && to !== socketId),
    ...(rig.controls && { controls: rig.controls.filter((one) => one.socketId !== socketId) }),
  });
}

/** The rig with a device's sockets replaced; cables on removed sockets are removed. */
export function withSockets(rig: Rig, gearId: string, sockets: readonly Socket[]): Rig {
  const holds = (ref: SocketRef, direction: 'from' | 'to') => {
    if (ref.gearId !== gearId) return true;
    const socket = sockets.find(({ id }) => id === ref.socketId);
    return socket !== undefined && (socket.direction === 'in') === (direction === 'to');
  };
  return withPorts({
    ...rig,
    gear: rig.gear.map((one) => (one.id === gearId ? { ...one, sockets } : one)),
    cables: rig.cables.filter(({ from, to }) => holds(from, 'from') && holds(to, 'to')),
  });
}

/** The device moved down the list by this many places; minus is up. */
export function moveGear(rig: Rig, gearId: string, by: number): Rig {
  const from = rig.gear.findIndex(({ id }) => id === gearId);
  const [one] = rig.gear.slice(from, from + 1);
  const to = Math.min(rig.gear.length - 1, Math.max(0, from + by));
  if (!one || from === to) return rig;
  const others = rig.gear.filter(({ id }) => id !== gearId);
  return { ...rig, gear: [...others.slice(0, to), one, ...others.slice(to)] };
}

/** The rig with the port on the hub's socket of this cable, if that socket has none yet; else null. */
function withPortGiven(
  rig: Rig,
  { id, name }: { id: string; name: string },
  direction: 'in' | 'out',
  isIts: (cable: Cable) => boolean,
): Rig | null {
  if (rig.hubSockets.some((socket) => socket.portId === id && socket.direction === direction)) return null;
  const cable = rig.cables.find(isIts);
  const socketId = direction === 'out' ? cable?.from.socketId : cable?.to.socketId;
  const waiting = rig.hubSockets.find((socket) => socket.id === socketId && !socket.portId);
  if (!waiting) return null;
  const link = peerKeyOf(id) === null ? waiting.link : 'network';
  const filled: Socket = { ...waiting, label: name.slice(0, 40), link, portId: id };
  return withPorts({ ...rig, hubSockets: rig.hubSockets.map((one) => (one === waiting ? filled : one)) });
}

/**
 * The rig with a cable from a port's socket to the device, replacing the one from the hub; null removes it.
 * @throws RigError if the socket is taken, or the device has no matching one.
 */
export function setOutputPort(rig: Rig, gearId: string, port: { id: string; name: string } | null): Rig {
  const given =
    port && withPortGiven(rig, port, 'out', ({ from, to }) => from.gearId === HUB_ID && to.gearId === gearId);
  if (given) return given;
  const kept = rig.cables.filter(({ from, to }) => !(from.gearId === HUB_ID && to.gearId === gearId));
  if (!port) return withPorts({ ...rig, cables: kept });
  const adopted = addPort({ ...rig, cables: kept }, port.id, port.name);
  const socket = adopted.hubSockets.find(({ portId, direction }) => portId === port.id && direction === 'out');
  const target = rig.gear.find(({ id }) => id === gearId);
  const fits = target?.sockets.find(({ direction, link }) => direction === 'in' && link === socket?.link);
  const any = fits ?? target?.sockets.find(({ direction }) => direction === 'in');
  if (!socket || !any) throw new RigError('This device has no MIDI in. Add one to its MIDI sockets.');
  // A local port takes on the link type of the device's socket.
  const sockets = adopted.hubSockets.map((one) => (one === socket ? { ...one, link: any.link } : one));
  return connect(
    { ...adopted, hubSockets: sockets },
    { gearId: HUB_ID, socketId: socket.id },
    { gearId, socketId: any.id },
  );
}

/**
 * The rig with a cable from the device to a port's socket, replacing the one to the hub; null removes it.
 * @throws RigError if the socket is taken, or the device has no out.
 */
export function setInputPort(rig: Rig, gearId: string, port: { id: string; name: string } | null): Rig {
  const given =
    port && withPortGiven(rig, port, 'in', ({ from, to }) => to.gearId === HUB_ID && from.gearId === gearId);
  if (given) return given;
  const kept = rig.cables.filter(({ from, to }) => !(to.gearId === HUB_ID && from.gearId === gearId));
  if (!port) return withPorts({ ...rig, cables: kept });
  const adopted = addPort({ ...rig, cables: kept }, port.id, port.name, 'in');
  const isIts = ({ portId, direction }: Socket) => portId === port.id && direction === 'in';
  const socket = adopted.hubSockets.find(isIts);
  const outs = rig.gear.find(({ id }) => id === gearId)?.sockets.filter(({ direction }) => direction === 'out') ?? [];
  const from = outs.find(({ link }) => link === socket?.link) ?? outs[0];
  if (!socket || !from) throw new RigError('This device has no MIDI out. Add one to its MIDI sockets.');
  const hubSockets = adopted.hubSockets.map((one) => (isIts(one) ? { ...one, link: from.link } : one));
  return connect({ ...adopted, hubSockets }, { gearId, socketId: from.id }, { gearId: HUB_ID, socketId: socket.id });
}

export function withoutGear(rig: Rig, gearId: string): Rig {
  const leaders = rig.leaders.filter((id) => id !== gearId);
  return withPorts({
    ...rig,
    gear: rig.gear.filter(({ id }) => id !== gearId),
    cables: rig.cables.filter(({ from, to }) => from.gearId !== gearId && to.gearId !== gearId),
    leaders: leaders.length > 0 ? leaders : [HUB_ID],
  });
}

/** The rig with a cure applied; null if the cure isn't a setting. */
export function applyCure(rig: Rig, cure: Cure): Rig | null {
  const change = (gearId: string, make: (one: Gear) => Partial<Gear>): Rig => ({
    ...rig,
    gear: rig.gear.map((one) => (one.id === gearId ? { ...one, ...make(one) } : one)),
  });
  switch (cure.kind) {
    case 'lead':
      return { ...rig, leaders: [cure.gearId, ...rig.leaders.filter((id) => id !== cure.gearId)] };
    case 'menu':
      return change(cure.gearId, ({ set }) => ({ set: { ...set, ...cure.set } }));
    case 'syncTo':
      return change(cure.gearId, () => ({ syncsTo: cure.syncsTo }));
    case 'rate':
      return change(cure.gearId, () => ({ rate: cure.rate }));
    case 'clockWhileStopped':
      return change(cure.gearId, () => ({ clockWhileStopped: true }));
    case 'channels':
      return change(cure.gearId, ({ set }) => ({ set: { ...set, channels: cure.channels } }));
    case 'listenFor': {
      const socket = rig.hubSockets.find(({ portId, direction }) => portId === cure.portId && direction === 'in');
      const into = rig.cables.find(({ to }) => to.gearId === HUB_ID && to.socketId === socket?.id);
      return into ? change(into.from.gearId, () => ({ leadsWith: cure.language })) : null;
    }
    case 'offsetOnlyInHub':
      return change(cure.gearId, ({ offset }) => ({ offset: { ...offset, own: 0 } }));
    default:
      return null;
  }
}

/** The cabling fields of a rig with nothing connected. */
export const BARE = {
  song: {
    sections: [],
    tempoFrom: 'hand',
    timecodeStart: { hours: 0, minutes: 0, seconds: 0, frames: 0 },
    rate: '25',
    countInBars: 2,
    countsIn: false,
    afterStop: 'stay',
    click: 'wood block',
  } as Song,
  hubSockets: [],
  cables: [],
  leaders: [HUB_ID],
  routes: [],
  following: { response: 'steady', freewheelMs: 1000 },
  tested: {},
  accepted: {},
  align: { target: 'grid', toleranceMs: 1, locked: [] },
} satisfies Partial<Rig>;

/** Upgrades a rig of the first version, which had followers and ports, to one with cables. */
export function upgradeRig(rig: Rig, facts: (one: Gear) => Gear): Rig {
  const bare: Rig = { ...rig, ...BARE };
  return rig.gear.reduce<Rig>(
    (done, one) => {
      const full = { ...facts(one), portId: null };
      const more = { ...done, gear: [...done.gear, full] };
      try {
        return one.portId === null
          ? more
          : setOutputPort(more, one.id, { id: one.portId, name: `Port ${done.hubSockets.length + 1}` });
      } catch {
        return more; // Two devices on one port: the second needs its cable drawn by hand.
      }
    },
    { ...bare, gear: [] },
  );
}

/** Everyone plays this much later than the sync of this device says. */
export function withSyncOffset(rig: Rig, gearId: string, syncOffsetMs: number): Rig {
  return { ...rig, gear: rig.gear.map((one) => (one.id === gearId ? { ...one, syncOffsetMs } : one)) };
}
