import type { Feed, PortRoute, Signal, SongSettings, SourceSettings, TakeOver } from '@metronomo/core';
import equal from 'fast-deep-equal';
import { CLICK_PORT } from '../ports/port-ids';
import type { Rig } from '../store/records';
import { feedsOf, songOf, withFills } from './feeds';
import { useSession, type Experiment } from './session';
import { routesOf, sourcesOf } from './sources';
import { hub } from './workers';

/** All that the hub is set to. */
export interface HubSettings {
  song: SongSettings;
  feeds: Feed[];
  sources: SourceSettings[];
  routes: PortRoute[];
  /** The only feeds that are sent; null is all. */
  soloed: string[] | null;
  leaders: { order: string[]; takeOver: TakeOver };
  /** What does something when it is pressed. */
  signals: { portId: string; signal: Signal }[];
}

/** What the hub has to be set to: the rig, except for what a measurement asks. */
export function settingsFor(rig: Rig, { byNotes = [], song, alone, routes }: Experiment): HubSettings {
  return {
    song: song ?? songOf(rig),
    feeds: feedsOf(rig, byNotes),
    sources: sourcesOf(rig),
    routes: routes ?? routesOf(rig),
    soloed: alone === undefined ? null : feedsTo(rig, alone),
    leaders: leadersOf(rig),
    signals: signalsOf(rig),
  };
}

/** Who may lead, in which order, and how they take over from each other. */
export function leadersOf({ leaders, takeOver = 'inOrder' }: Rig): HubSettings['leaders'] {
  return { order: leaders, takeOver };
}

function signalsOf({ controls = [], hubSockets }: Rig): HubSettings['signals'] {
  return controls.flatMap(({ socketId, signal }) => {
    const portId = hubSockets.find(({ id }) => id === socketId)?.portId;
    return portId ? [{ portId, signal }] : [];
  });
}

/** The click, and the device's feed: its own if it is driven by notes, else its wire's. */
function feedsTo(rig: Rig, gearId: string | null): string[] {
  const portId = rig.gear.find(({ id }) => id === gearId)?.portId;
  return [CLICK_PORT, ...(gearId === null ? [] : [gearId]), ...(portId ? [portId] : [])];
}

type Settable = Pick<
  typeof hub,
  'setSong' | 'setFeeds' | 'setSources' | 'setRoutes' | 'setLeaders' | 'watchSignals' | 'command'
>;

/** Keeps the hub at what the rig and the measurement under way ask; the only one that sets it. */
export class HubPlan {
  #sent: HubSettings | null = null;

  /** Sends what has changed; to a new hub, everything. */
  async apply(to: Settable = hub, how?: 'newHub'): Promise<void> {
    const { rig: own, experiment, trialLeader, fills } = useSession.getState();
    if (!own) return;
    const rig = withFills(own, fills);
    // Nobody takes over from it: when it stops, everyone stops.
    const wanted = settingsFor(
      trialLeader === null ? rig : { ...rig, leaders: [trialLeader], takeOver: 'inOrder' as const },
      experiment,
    );
    const before = how === 'newHub' ? null : this.#sent;
    this.#sent = wanted;
    const changed = (key: keyof HubSettings) => !equal(wanted[key], before?.[key]);
    await Promise.all([
      changed('song') && to.setSong(wanted.song),
      changed('feeds') && to.setFeeds(wanted.feeds),
      changed('sources') && to.setSources(wanted.sources),
      changed('routes') && to.setRoutes(wanted.routes),
      changed('soloed') && to.command({ kind: 'solo', feedIds: wanted.soloed }),
      changed('signals') && to.watchSignals(wanted.signals),
      changed('leaders') && to.setLeaders(wanted.leaders.order, wanted.leaders.takeOver),
    ]);
  }
}

export const hubPlan = new HubPlan();

/** Replaces what the measurement under way asks of the hub; an empty one gives it back to the rig. */
export async function setExperiment(experiment: Experiment): Promise<void> {
  useSession.setState({ experiment });
  await hubPlan.apply();
}

/** Lets a trigger play its fill, or its own rate again. */
export async function setFill(triggerId: string, on: boolean): Promise<void> {
  const others = useSession.getState().fills.filter((id) => id !== triggerId);
  useSession.setState({ fills: on ? [...others, triggerId] : others });
  await hubPlan.apply();
}

/** Lets somebody lead for the time of a trial; null gives it back to the rig. */
export async function setTrialLeader(trialLeader: string | null): Promise<void> {
  useSession.setState({ trialLeader });
  await hubPlan.apply();
}
