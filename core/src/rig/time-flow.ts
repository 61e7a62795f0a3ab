import { cablesFrom, cablesTo, gearOf, HUB_ID, socketOf, type Cable, type RigGear, type RigPlan } from './rig';

/** A way by which time reaches a piece of gear. */
export interface TimePath {
  /** Where it comes from: gear that makes time of its own. */
  sourceId: string;
  /** The cables, from the source on. */
  cables: readonly Cable[];
  /** How many times it is handed on by somebody's thru. */
  thrus: number;
}

/** Whether gear puts time of its own on its outs, as it is set. */
export function makesTime(rig: RigPlan, gear: RigGear): boolean {
  if (gear.id === HUB_ID) return true;
  if (!gear.able.lead || !gear.set.clockOut) return false;
  // Set to automatic, it makes its own as long as nobody leads it.
  return gear.set.clockSource === 'internal' || (gear.set.clockSource === 'automatic' && rig.leaders[0] === gear.id);
}

/** Whether what comes in leaves gear again by the socket that a cable begins at. */
function handsOn(rig: RigPlan, gear: RigGear, cable: Cable): boolean {
  const socket = socketOf(rig, cable.from);
  if (gear.id === HUB_ID || !socket) return false;
  return socket.direction === 'thru' || gear.set.thru || gear.kind === 'splitBox';
}

const found = new WeakMap<RigPlan, Map<string, TimePath[]>>();

/** All ways by which time reaches gear, over any number of thrus. */
export function timePaths(rig: RigPlan, gearId: string): readonly TimePath[] {
  const known = found.get(rig) ?? new Map<string, TimePath[]>();
  found.set(rig, known);
  const paths = known.get(gearId) ?? findPaths(rig, gearId);
  known.set(gearId, paths);
  return paths;
}

function findPaths(rig: RigPlan, gearId: string): TimePath[] {
  const paths: TimePath[] = [];
  const walk = (at: string, cables: Cable[], thrus: number, seen: ReadonlySet<string>) => {
    for (const cable of cablesTo(rig, at)) {
      const from = gearOf(rig, cable.from.gearId);
      if (!from || seen.has(from.id)) continue;
      const socket = socketOf(rig, cable.from);
      const longer = [cable, ...cables];
      if (makesTime(rig, from) && socket?.direction === 'out') paths.push({ sourceId: from.id, cables: longer, thrus });
      if (handsOn(rig, from, cable))
        walk(from.id, longer, thrus + (from.kind === 'splitBox' ? 0 : 1), new Set([...seen, from.id]));
    }
  };
  walk(gearId, [], 0, new Set([gearId]));
  return paths;
}

/** The gear that time passes through on its way back to gear that makes it; null when it does not come back. */
export function echoTo(rig: RigPlan, gearId: string): string[] | null {
  const start = gearOf(rig, gearId);
  if (!start || !makesTime(rig, start)) return null;
  const walk = (at: RigGear, passed: readonly string[]): string[] | null => {
    for (const cable of cablesFrom(rig, at.id)) {
      const leaves = at === start ? socketOf(rig, cable.from)?.direction === 'out' : handsOn(rig, at, cable);
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

/** Gear that is meant to take its time from somebody else. */
export function followers(rig: RigPlan): RigGear[] {
  return rig.gear.filter((gear) => gear.id !== HUB_ID && gear.id !== rig.leaders[0] && gear.takes !== 'nothing');
}

/** How far gear stands from the leader, in cables; for drawing from left to right. */
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
