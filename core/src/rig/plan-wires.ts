import type { FeedSettings } from '../feed/feed-settings';
import type { FrameRate } from '../timecode/timecode';
import { cablesFrom, cablesTo, gearOf, HUB_ID, socketOf, type Cable, type RigGear, type RigPlan } from './rig';
import { generatesSync, passesThrough } from './sync-paths';

/** What a wire can't give all of its gear at once. Of different settings, the first one's on the wire is sent. */
export type WireConflictKind =
  | 'clock offset'
  | 'timecode offset'
  | 'note offset'
  | 'clock rate'
  | 'clock while stopped'
  | 'timecode rate'
  | 'standing timecode'
  | 'machine control'
  | 'start and stop'
  | 'song position'
  | 'two streams';

export interface WireConflict {
  kind: WireConflictKind;
  /** Everyone concerned. For settings, those who want something else than the first on the wire. */
  gearIds: string[];
}

/** What leaves one output port of the hub: every byte once, for everyone on the wire. */
export interface Wire {
  portId: string;
  /** The gear it serves, nearest first: on the port itself, behind thrus, behind split boxes. */
  gearIds: string[];
  /** All gear its bytes reach, whether it is served or not. */
  reaches: string[];
  /** Send sync on it even if it reaches whoever leads. */
  sendsToLeader: boolean;
  settings: FeedSettings;
  conflicts: WireConflict[];
}

/**
 * `no cable`: nothing is connected to it. `no path`: connected, but not to a source of sync. `no port`: the hub's socket
 * has no MIDI port. `cannot follow`: it has no external sync. `shared with the leader`: the hub sends nothing on a wire
 * that reaches whoever leads.
 */
export type UnreachedReason = 'no cable' | 'no path' | 'no port' | 'cannot follow' | 'shared with the leader';

export interface WirePlan {
  wires: Wire[];
  unreached: { gearId: string; reason: UnreachedReason }[];
}

/** A hub output and everything its bytes pass, nearest first. */
interface Reach {
  portId: string | null;
  gearIds: string[];
  /** Number of cables to each. */
  distance: ReadonlyMap<string, number>;
  /** Whether sync may go out even if it reaches the leader. */
  toLeaderToo: boolean;
}

/**
 * Compiles the drawing into what leaves each hub output port. Each device is served by the nearest port that reaches
 * it; each byte leaves once per port, with the union of what the gear on it needs. Nothing goes out on a wire that
 * reaches the leader, unless its socket says so.
 */
export function planWires(rig: RigPlan): WirePlan {
  const known = plans.get(rig);
  if (known) return known;
  const plan = compile(rig);
  plans.set(rig, plan);
  return plan;
}

/** Who is sent nothing: the leader, unless it isn't known before somebody plays. The hub keeps that one apart by itself. */
export function plannedLeader({ leaders, takeOver }: RigPlan): string {
  return takeOver === 'whoeverPlays' ? HUB_ID : (leaders[0] ?? HUB_ID);
}

/** Rigs are immutable, so plans are memoized. */
const plans = new WeakMap<RigPlan, WirePlan>();

function compile(rig: RigPlan): WirePlan {
  const leader = plannedLeader(rig);
  const reaches = reachesOf(rig);
  const reachesLeader = ({ distance, toLeaderToo }: Reach) => distance.has(leader) && !toLeaderToo;
  const usable = reaches.filter((reach) => reach.portId !== null && !reachesLeader(reach));
  const nearest = nearestOf(usable);
  const led = leader === HUB_ID ? new Set<string>() : reachedByLeader(rig, leader);
  const served = rig.gear.filter((gear) => gear.id !== HUB_ID && gear.id !== leader && isServed(gear));

  const wires = usable.flatMap((reach): Wire[] => {
    const onWire = reach.gearIds.flatMap((id) => {
      const gear = gearOf(rig, id);
      return gear && nearest.get(id) === reach && served.includes(gear) ? [gear] : [];
    });
    if (onWire.length === 0) return [];
    const twice = reach.gearIds.filter((id) => {
      const gear = gearOf(rig, id);
      return gear && nearest.get(id) !== reach && served.includes(gear);
    });
    const { settings, conflicts } = unionOf(onWire);
    if (twice.length > 0) conflicts.push({ kind: 'two streams', gearIds: twice });
    const { portId, gearIds: reaches, toLeaderToo: sendsToLeader } = reach;
    const gearIds = onWire.map(({ id }) => id);
    return [{ portId: portId ?? '', gearIds, reaches, sendsToLeader, settings, conflicts }];
  });

  const unreached = rig.gear.flatMap((gear): WirePlan['unreached'] => {
    if (gear.id === HUB_ID || gear.id === leader || gear.syncsTo === 'nothing') return [];
    if (!gear.able.follow) return [{ gearId: gear.id, reason: 'cannot follow' }];
    if (nearest.has(gear.id) || led.has(gear.id)) return [];
    const by = reaches.filter(({ distance }) => distance.has(gear.id));
    const reason = by.some(reachesLeader)
      ? 'shared with the leader'
      : by.length > 0
        ? 'no port'
        : cablesTo(rig, gear.id).length > 0
          ? 'no path'
          : 'no cable';
    return [{ gearId: gear.id, reason }];
  });
  return { wires, unreached };
}

/** The hub output port whose wire reaches each device, whatever it syncs to. */
export function portsOfGear(rig: RigPlan): ReadonlyMap<string, string> {
  const known = ports.get(rig) ?? findPorts(rig);
  ports.set(rig, known);
  return known;
}

const ports = new WeakMap<RigPlan, ReadonlyMap<string, string>>();

function findPorts(rig: RigPlan): Map<string, string> {
  const nearest = nearestOf(reachesOf(rig).filter(({ portId }) => portId !== null));
  return new Map([...nearest].map(([gearId, { portId }]) => [gearId, portId ?? '']));
}

/** Whether time, machine control, triggers or patches are wanted. */
function isServed({ able, syncsTo, mmc = false, triggers = [], patches = [] }: RigGear): boolean {
  return (syncsTo !== 'nothing' && able.follow) || mmc || triggers.length > 0 || patches.length > 0;
}

/** One entry per port; sockets on the same port are one wire. */
function reachesOf(rig: RigPlan): Reach[] {
  const byPort = new Map<string, { portId: string | null; cables: Cable[]; toLeaderToo: boolean }>();
  for (const cable of cablesFrom(rig, HUB_ID)) {
    const socket = socketOf(rig, cable.from);
    if (!socket || socket.direction !== 'out') continue;
    const portId = socket.portId ?? null;
    const key = portId ?? `no port ${socket.id}`;
    const port = byPort.get(key) ?? { portId, cables: [], toLeaderToo: false };
    port.cables.push(cable);
    port.toLeaderToo ||= socket.sendsToLeader ?? false;
    byPort.set(key, port);
  }
  return [...byPort.values()].map(({ portId, cables, toLeaderToo }) => {
    const distance = reachedBy(rig, cables);
    return { portId, gearIds: [...distance.keys()], distance, toLeaderToo };
  });
}

/** All gear that bytes on these cables reach, with its distance in cables: the nearest first; loops end where they began. */
export function reachedBy(rig: RigPlan, cables: readonly Cable[]): Map<string, number> {
  const distance = new Map<string, number>();
  let front = cables;
  for (let steps = 1; front.length > 0; steps++) {
    const next: Cable[] = [];
    for (const { to } of front) {
      const gear = gearOf(rig, to.gearId);
      if (!gear || gear.id === HUB_ID || distance.has(gear.id)) continue;
      distance.set(gear.id, steps);
      for (const cable of cablesFrom(rig, gear.id)) if (passesThrough(rig, gear, cable)) next.push(cable);
    }
    front = next;
  }
  return distance;
}

function nearestOf(reaches: readonly Reach[]): Map<string, Reach> {
  const nearest = new Map<string, Reach>();
  for (const reach of reaches)
    for (const [id, steps] of reach.distance) {
      const known = nearest.get(id)?.distance.get(id) ?? Infinity;
      if (steps < known) nearest.set(id, reach);
    }
  return nearest;
}

/** Gear that hears the leader itself, not the hub. */
function reachedByLeader(rig: RigPlan, leaderId: string): Set<string> {
  const leader = gearOf(rig, leaderId);
  if (!leader || !generatesSync(rig, leader)) return new Set();
  const outs = cablesFrom(rig, leaderId).filter(({ from }) => socketOf(rig, from)?.direction === 'out');
  return new Set(reachedBy(rig, outs).keys());
}

function unionOf(gear: readonly RigGear[]): { settings: FeedSettings; conflicts: WireConflict[] } {
  const conflicts: WireConflict[] = [];
  const report = (kind: WireConflictKind, concerned: readonly RigGear[]) => {
    if (concerned.length > 0) conflicts.push({ kind, gearIds: concerned.map(({ id }) => id) });
  };
  /** The first one's value; the others that want something else are a conflict. */
  const agreed = <Value>(
    kind: WireConflictKind,
    among: readonly RigGear[],
    of: (one: RigGear) => Value,
  ): Value | null => {
    const [first, ...others] = among;
    if (!first) return null;
    report(
      kind,
      others.filter((one) => of(one) !== of(first)),
    );
    return of(first);
  };
  const byClock = gear.filter(({ syncsTo }) => syncsTo === 'clock');
  const byCode = gear.filter(({ syncsTo }) => syncsTo === 'timecode');
  const sends = byClock.map(wanted);
  const transport = sends.some((one) => one.transport);
  // Gear that knows start and stop, but shouldn't get them.
  report('start and stop', transport ? byClock.filter((one) => one.able.startStop && !wanted(one).transport) : []);
  // Without song position, a continue in the middle of the song starts a device at its own beginning.
  const lost = byClock.filter((one) => wanted(one).transport && !wanted(one).position && !one.able.songPosition);
  const position = sends.some((one) => one.position) && lost.length === 0;
  report('song position', sends.some((one) => one.position) ? lost : []);
  const clockRate = agreed('clock rate', byClock, (one) => one.clockRate ?? 1) ?? 1;
  agreed('clock while stopped', byClock, (one) => one.clockWhileStopped);
  const timecode: FrameRate | null = agreed('timecode rate', byCode, (one) => one.rate);
  const byMachine = gear.filter(({ mmc }) => mmc);
  const pauses = agreed('machine control', byMachine, (one) => one.pauses ?? false);
  // What records must be meant to, everyone on the wire.
  report(
    'machine control',
    byMachine.some(({ mayRecord }) => mayRecord) ? byMachine.filter((one) => !one.mayRecord) : [],
  );
  const standingCode = agreed('standing timecode', byCode, (one) => one.standingCode ?? 'once');
  const placed = gear.filter(({ mmc = false, syncsTo }) => mmc || syncsTo === 'timecode');
  const afterStop = agreed('standing timecode', placed, (one) => one.afterStop ?? 'stay');
  const clockOffsetMs = agreed('clock offset', byClock, (one) => one.offsetMs);
  const codeOffsetMs = agreed('timecode offset', byCode, (one) => one.offsetMs);
  const noteOffsetsMs = noteOffsets(gear, conflicts);
  const triggers = gear.flatMap((one) => one.triggers ?? []);
  const patches = gear.flatMap((one) => one.patches ?? []).sort((a, b) => a.fromBeat - b.fromBeat);
  const settings: FeedSettings = {
    sends: {
      clock: sends.some(({ clock }) => clock),
      transport,
      position,
      timecode,
      mmc: byMachine.length > 0,
      ...(byMachine.some(({ mayRecord }) => mayRecord) && { record: true }),
      ...(pauses === true && { pause: true }),
    },
    ...(standingCode !== null && standingCode !== 'once' && { standingCode }),
    ...(afterStop !== null && afterStop !== 'stay' && { afterStop }),
    offsetMs: clockOffsetMs ?? codeOffsetMs ?? gear[0]?.offsetMs ?? 0,
    // Gear that plays on any clock must not get one while stopped, so all have to want it.
    clockWhileStopped: byClock.length > 0 && byClock.every((one) => one.clockWhileStopped),
    clockRate,
    triggers,
    ...(patches.length > 0 && { patches }),
    ...(codeOffsetMs !== null && { timecodeOffsetMs: codeOffsetMs }),
    ...(triggers.length + patches.length > 0 && { noteOffsetsMs }),
  };
  return { settings, conflicts };
}

/** What a follower of clock is sent; by default, what it can make use of. */
function wanted({ able, sends }: RigGear): { clock: boolean; transport: boolean; position: boolean } {
  return sends ?? { clock: able.clock, transport: able.startStop, position: able.songPosition };
}

/** Notes are offset by channel: those of triggers and patches by their device's offset. */
function noteOffsets(gear: readonly RigGear[], conflicts: WireConflict[]): Record<number, number> {
  const offsets: Record<number, number> = {};
  const differ = new Set<string>();
  for (const { id, offsetMs, triggers = [], patches = [] } of gear)
    for (const { channel } of [...triggers.map(({ sends }) => sends), ...patches]) {
      offsets[channel] ??= offsetMs;
      if (offsets[channel] !== offsetMs) differ.add(id);
    }
  if (differ.size > 0) conflicts.push({ kind: 'note offset', gearIds: [...differ] });
  return offsets;
}
