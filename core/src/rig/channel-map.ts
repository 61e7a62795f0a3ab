import { cablesFrom, gearOf, HUB_ID, socketOf, type RigGear, type RigPlan, type Socket } from './rig';

const CHANNELS = Array.from({ length: 16 }, (_, i) => i + 1);

/** One of the hub's outputs, with the devices on each channel. */
export interface PortChannels {
  socket: Socket;
  /** A for the first out, B for the second ... */
  letter: string;
  /** For channels 1 to 16: the ids of the devices that receive them. */
  receivers: readonly (readonly string[])[];
}

/** Devices by output port and channel: A1 to A16, B1 ... */
export function channelMap(rig: RigPlan): PortChannels[] {
  const outs = gearOf(rig, HUB_ID)?.sockets.filter(({ direction }) => direction === 'out') ?? [];
  return outs.map((socket, i) => {
    const gear = receiversOn(rig, socket.id);
    const receivers = CHANNELS.map((channel) =>
      gear.filter(({ set }) => set.channels.includes(channel)).map(({ id }) => id),
    );
    return { socket, letter: letterOf(i), receivers };
  });
}

/** The first channel unused by the other devices on the same port; null if all sixteen are taken. */
export function freeChannel(rig: RigPlan, gearId: string): number | null {
  const beside = (gearOf(rig, HUB_ID)?.sockets ?? []).flatMap(({ id }) => {
    const gear = receiversOn(rig, id);
    return gear.some((one) => one.id === gearId) ? gear.filter((one) => one.id !== gearId) : [];
  });
  return CHANNELS.find((channel) => !beside.some(({ set }) => set.channels.includes(channel))) ?? null;
}

/** Devices reached from one of the hub's outputs, over any number of thrus. */
function receiversOn(rig: RigPlan, socketId: string): RigGear[] {
  const reached = new Map<string, RigGear>();
  const walk = (gearId: string, leaves: (ref: { socketId: string }) => boolean) => {
    for (const { from, to } of cablesFrom(rig, gearId)) {
      const next = gearOf(rig, to.gearId);
      if (!leaves(from) || !next || next.id === HUB_ID || reached.has(next.id)) continue;
      reached.set(next.id, next);
      walk(next.id, (ref) => next.set.thru || socketOf(rig, { gearId: next.id, ...ref })?.direction === 'thru');
    }
  };
  walk(HUB_ID, (from) => from.socketId === socketId);
  return [...reached.values()].filter(({ kind }) => kind !== 'splitBox');
}

/** A to Z, then A2 to Z2, because AA1 doesn't read as a port and a channel. */
function letterOf(index: number): string {
  const letter = String.fromCharCode(65 + (index % 26));
  return index < 26 ? letter : `${letter}${Math.floor(index / 26) + 1}.`;
}
