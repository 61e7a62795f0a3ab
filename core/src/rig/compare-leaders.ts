import { planWires } from './plan-wires';
import { HUB_ID, type RigGear, type RigPlan } from './rig';
import { syncPaths } from './sync-paths';

/** The case for and against one leader. */
export interface Candidate {
  gearId: string;
  canLead: boolean;
  /** Whether its sync reaches the hub, which regenerates it for everyone. */
  throughHub: boolean;
  reaches: string[];
  leftOut: string[];
  /** Excluded followers that need timecode, which this leader doesn't send. */
  needTimecode: string[];
  changesTempoLive: boolean;
}

/** All possible leaders, best first; the first is the recommendation. */
export function compareLeaders(rig: RigPlan): Candidate[] {
  const candidates = rig.gear.filter(({ id, able }) => id === HUB_ID || able.lead).map((gear) => candidate(rig, gear));
  // A device that reaches no follower can't lead.
  const leaves = ({ reaches, leftOut }: Candidate) => (reaches.length > 0 ? leftOut.length : Infinity);
  const turns = ({ reaches, changesTempoLive }: Candidate) => Number(changesTempoLive && reaches.length > 0);
  return candidates.sort(
    (a, b) =>
      Number(b.canLead) - Number(a.canLead) ||
      (leaves(a) === leaves(b) ? 0 : leaves(a) - leaves(b)) ||
      turns(b) - turns(a) ||
      Number(b.gearId === HUB_ID) - Number(a.gearId === HUB_ID),
  );
}

function candidate(rig: RigPlan, gear: RigGear): Candidate {
  // Evaluate sync paths as if this device were leading and sending.
  const led: RigPlan = {
    ...rig,
    leaders: [gear.id],
    gear: rig.gear.map((one) => {
      if (one.id === HUB_ID) return withPorts(one);
      const leads = one.id === gear.id;
      return { ...one, set: { ...one.set, clockOut: leads, clockSource: leads ? 'internal' : 'external' } };
    }),
  };
  const comesFrom = (id: string, sourceId: string) => syncPaths(led, id).some((path) => path.sourceId === sourceId);
  const throughHub = gear.id === HUB_ID || comesFrom(HUB_ID, gear.id);
  const others = led.gear.filter(({ id, syncsTo }) => id !== HUB_ID && id !== gear.id && syncsTo !== 'nothing');
  const served = new Set(planWires(led).wires.flatMap(({ gearIds }) => gearIds));
  const reached = others.filter(
    (one) =>
      one.able.follow && ((throughHub && served.has(one.id)) || (comesFrom(one.id, gear.id) && canSync(gear, one))),
  );
  const leftOut = others.filter((one) => !reached.includes(one));
  return {
    gearId: gear.id,
    canLead: gear.able.lead,
    throughHub,
    reaches: reached.map(({ id }) => id),
    leftOut: leftOut.map(({ id }) => id),
    needTimecode: leftOut
      .filter(({ syncsTo }) => syncsTo === 'timecode' && gear.able.timecode.length === 0)
      .map(({ id }) => id),
    changesTempoLive: gear.able.turnsTempo,
  };
}

/** A socket without a MIDI port can still get one. */
function withPorts(hub: RigGear): RigGear {
  return {
    ...hub,
    sockets: hub.sockets.map((socket) => ({ ...socket, portId: socket.portId ?? `later ${socket.id}` })),
  };
}

function canSync(leader: RigGear, follower: RigGear): boolean {
  if (follower.syncsTo === 'clock') return leader.able.clock && follower.able.clock;
  return leader.able.timecode.some((rate) => follower.able.timecode.includes(rate));
}
