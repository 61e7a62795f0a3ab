import { HUB_ID, type RigGear, type RigPlan } from './rig';
import { timePaths } from './time-flow';

/** What speaks for and against one of the rig leading it. */
export interface Candidate {
  gearId: string;
  canLead: boolean;
  /** Whether its time reaches the hub, which makes it anew for everybody. */
  throughHub: boolean;
  reaches: string[];
  leftOut: string[];
  /** Of those left out, who would need timecode that it does not send. */
  needTimecode: string[];
  turnsTempo: boolean;
}

/** Everybody who might lead, the best first; the first is the proposal. */
export function compareLeaders(rig: RigPlan): Candidate[] {
  const candidates = rig.gear.filter(({ id, able }) => id === HUB_ID || able.lead).map((gear) => candidate(rig, gear));
  // Who reaches nobody is no leader, whatever else speaks for it.
  const leaves = ({ reaches, leftOut }: Candidate) => (reaches.length > 0 ? leftOut.length : Infinity);
  const turns = ({ reaches, turnsTempo }: Candidate) => Number(turnsTempo && reaches.length > 0);
  return candidates.sort(
    (a, b) =>
      Number(b.canLead) - Number(a.canLead) ||
      (leaves(a) === leaves(b) ? 0 : leaves(a) - leaves(b)) ||
      turns(b) - turns(a) ||
      Number(b.gearId === HUB_ID) - Number(a.gearId === HUB_ID),
  );
}

function candidate(rig: RigPlan, gear: RigGear): Candidate {
  // The paths are those that there would be if it led, and sent its time.
  const led: RigPlan = {
    ...rig,
    leaders: [gear.id],
    gear: rig.gear.map((one) => {
      if (one.id === HUB_ID) return one;
      const leads = one.id === gear.id;
      return { ...one, set: { ...one.set, clockOut: leads, clockSource: leads ? 'internal' : 'external' } };
    }),
  };
  const comesFrom = (id: string, sourceId: string) => timePaths(led, id).some((path) => path.sourceId === sourceId);
  const throughHub = gear.id === HUB_ID || comesFrom(HUB_ID, gear.id);
  const others = led.gear.filter(({ id, takes }) => id !== HUB_ID && id !== gear.id && takes !== 'nothing');
  const reached = others.filter(
    (one) => (throughHub && comesFrom(one.id, HUB_ID)) || (comesFrom(one.id, gear.id) && speaksTo(gear, one)),
  );
  const leftOut = others.filter((one) => !reached.includes(one));
  return {
    gearId: gear.id,
    canLead: gear.able.lead,
    throughHub,
    reaches: reached.map(({ id }) => id),
    leftOut: leftOut.map(({ id }) => id),
    needTimecode: leftOut
      .filter(({ takes }) => takes === 'timecode' && gear.able.timecode.length === 0)
      .map(({ id }) => id),
    turnsTempo: gear.able.turnsTempo,
  };
}

function speaksTo(leader: RigGear, follower: RigGear): boolean {
  if (follower.takes === 'clock') return leader.able.clock && follower.able.clock;
  return leader.able.timecode.some((rate) => follower.able.timecode.includes(rate));
}
