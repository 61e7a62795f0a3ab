import { cablesFrom, cablesTo, gearOf, HUB_ID, socketOf, type Cable, type RigGear, type RigPlan } from './rig';

/** A path along which sync reaches a device. */
export interface SyncPath {
  /** The device that generates the sync. */
  sourceId: string;
  /** The cables, from the source on. */
  cables: readonly Cable[];
  /** How many thrus it passes. */
  thrus: number;
}

/** Whether a device generates sync on its outs with its current settings. */
export function generatesSync(rig: RigPlan, gear: RigGear): boolean {
  if (gear.id === HUB_ID) return true;
  if (!gear.able.lead || !gear.set.clockOut) return false;
  // In auto mode it uses its internal clock until it receives external sync.
  return gear.set.clockSource === 'internal' || (gear.set.clockSource === 'automatic' && rig.leaders[0] === gear.id);
}

/** Whether a device repeats its input on the socket this cable starts from. */
export function passesThrough(rig: RigPlan, gear: RigGear, cable: Cable): boolean {
  const socket = socketOf(rig, cable.from);
  if (gear.id === HUB_ID || !socket) return false;
  return socket.direction === 'thru' || gear.set.thru || gear.kind === 'splitBox';
}

/**
 * The gear whose sync can arrive over a cable: the device it comes from, or, if that one only passes on what comes in,
 * those before it that can lead.
 */
export function leadersBehind(rig: RigPlan, cable: Cable, passed: readonly string[] = []): string[] {
  const from = gearOf(rig, cable.from.gearId);
  if (!from || from.id === HUB_ID || passed.includes(from.id)) return [];
  const before = passesThrough(rig, from, cable)
    ? cablesTo(rig, from.id).flatMap((one) => leadersBehind(rig, one, [...passed, from.id]))
    : [];
  const itself = from.able.lead || before.length === 0;
  return [...new Set([...(itself ? [from.id] : []), ...before])];
}

const pathsByRig = new WeakMap<RigPlan, Map<string, SyncPath[]>>();

/** All paths along which sync reaches a device, over any number of thrus. */
export function syncPaths(rig: RigPlan, gearId: string): readonly SyncPath[] {
  const known = pathsByRig.get(rig) ?? new Map<string, SyncPath[]>();
  pathsByRig.set(rig, known);
  const paths = known.get(gearId) ?? findPaths(rig, gearId);
  known.set(gearId, paths);
  return paths;
}

function findPaths(rig: RigPlan, gearId: string): SyncPath[] {
  const paths: SyncPath[] = [];
  const walk = (at: string, cables: Cable[], thrus: number, seen: ReadonlySet<string>) => {
    for (const cable of cablesTo(rig, at)) {
      const from = gearOf(rig, cable.from.gearId);
      if (!from || seen.has(from.id)) continue;
      const socket = socketOf(rig, cable.from);
      const longer = [cable, ...cables];
      if (generatesSync(rig, from) && socket?.direction === 'out')
        paths.push({ sourceId: from.id, cables: longer, thrus });
      if (passesThrough(rig, from, cable))
        walk(from.id, longer, thrus + (from.kind === 'splitBox' ? 0 : 1), new Set([...seen, from.id]));
    }
  };
  walk(gearId, [], 0, new Set([gearId]));
  return paths;
}

/** The devices on a loop back to the device that generates the sync; null if there is none. */
export function findLoop(rig: RigPlan, gearId: string): string[] | null {
  const start = gearOf(rig, gearId);
  if (!start || !generatesSync(rig, start)) return null;
  const walk = (at: RigGear, passed: readonly string[]): string[] | null => {
    for (const cable of cablesFrom(rig, at.id)) {
      const leaves = at === start ? socketOf(rig, cable.from)?.direction === 'out' : passesThrough(rig, at, cable);
      const next = gearOf(rig, cable.to.gearId);
      if (!leaves || !next || passed.includes(next.id)) continue;
      if (next === start) return [...passed];
      const found = walk(next, [...passed, next.id]);
      if (found) return found;
    }
    return null;
  };
  return walk(start, []);
}

/** Gear that should sync to something else. */
export function followers(rig: RigPlan): RigGear[] {
  return rig.gear.filter((gear) => gear.id !== HUB_ID && gear.id !== rig.leaders[0] && gear.syncsTo !== 'nothing');
}

/** Distance from the leader in cables; for layout from left to right. */
export function ranks(rig: RigPlan): Map<string, number> {
  const first = rig.leaders[0] ?? HUB_ID;
  const rank = new Map<string, number>([[first, 0]]);
  const queue = [first];
  for (let at = queue.shift(); at !== undefined; at = queue.shift())
    for (const { to } of cablesFrom(rig, at)) {
      if (rank.has(to.gearId)) continue;
      rank.set(to.gearId, (rank.get(at) ?? 0) + 1);
      queue.push(to.gearId);
    }
  return rank;
}
