import type { FrameRate } from '../timecode/timecode';
import { channelMap } from './channel-map';
import { cablesFrom, cablesTo, gearOf, HUB_ID, socketOf, type RigGear, type RigPlan } from './rig';

/** Something to set on the device. The interface puts it into words. */
export type ChecklistItem =
  | { about: 'clock source'; value: 'external' | 'internal' }
  | { about: 'clock in' | 'clock out' | 'thru' | 'local' | 'start and stop' | 'song position'; value: 'on' | 'off' }
  | { about: 'timecode'; rate: FrameRate }
  | { about: 'machine control' }
  | { about: 'receive channel'; channels: readonly number[]; ports: readonly string[] }
  | { about: 'own offset'; value: number; unit: string };

export interface ChecklistEntry {
  /** Stable key of the setting; ticked entries are stored under it. */
  key: string;
  item: ChecklistItem;
}

/** What to set on a device, in a natural order; empty for a split box. */
export function checklist(rig: RigPlan, gearId: string): ChecklistEntry[] {
  const gear = gearOf(rig, gearId);
  if (!gear || gear.id === HUB_ID || gear.kind === 'splitBox') return [];
  const leads = rig.leaders[0] === gear.id;
  const follows = !leads && gear.syncsTo !== 'nothing';
  const byClock = follows && gear.syncsTo === 'clock';
  const items: ChecklistItem[] = [];
  if (leads) items.push({ about: 'clock source', value: 'internal' });
  if (byClock) items.push({ about: 'clock source', value: 'external' }, { about: 'clock in', value: 'on' });
  if (byClock && gear.able.startStop) items.push({ about: 'start and stop', value: 'on' });
  if (byClock && gear.able.songPosition) items.push({ about: 'song position', value: 'on' });
  if (follows && gear.syncsTo === 'timecode') items.push({ about: 'timecode', rate: gear.rate });
  if (leads && gear.leadsWith === 'timecode') items.push({ about: 'timecode', rate: gear.rate });
  if (gear.able.mmc && gear.syncsTo === 'timecode') items.push({ about: 'machine control' });
  if (gear.able.lead && (leads || follows)) items.push({ about: 'clock out', value: leads ? 'on' : 'off' });
  if (cablesFrom(rig, gear.id).some(({ to }) => to.gearId === HUB_ID)) items.push({ about: 'thru', value: 'off' });
  // Keys routed back to their own device would sound twice.
  if (playsThroughHub(rig, gear.id)) items.push({ about: 'local', value: 'off' });
  const ports = channelMap(rig).filter(({ receivers }) => receivers.some((ids) => ids.includes(gear.id)));
  if (ports.length > 0 && gear.set.channels.length > 0)
    items.push({ about: 'receive channel', channels: gear.set.channels, ports: ports.map(({ letter }) => letter) });
  const { where, own, unit } = gear.offset;
  if (follows && (where === 'own' || own !== 0)) items.push({ about: 'own offset', value: own, unit });
  return items.map((item) => ({ key: JSON.stringify(item), item }));
}

function playsThroughHub(rig: RigPlan, gearId: string): boolean {
  const ins = cablesFrom(rig, gearId).filter(({ to }) => to.gearId === HUB_ID);
  return (rig.routes ?? []).some(
    (route) =>
      ins.some(({ to }) => to.socketId === route.from) &&
      cablesFrom(rig, HUB_ID).some(({ from, to }) => from.socketId === route.to && to.gearId === gearId),
  );
}

/** Where a device's sync enters or leaves it. */
export interface SyncPlace {
  /** As printed on the device. */
  socket: string;
  /** The hub's port at the other end, as menus show it; null if the cable ends at another device. */
  port: string | null;
  /** That device, and its socket. */
  through: string | null;
}

/** The cable on which a device receives sync, the hub's own first; or on which it sends to the hub. Null without one. */
export function syncPlace(rig: RigPlan, gearId: string, direction: 'in' | 'out'): SyncPlace | null {
  const cables =
    direction === 'in' ? cablesTo(rig, gearId) : cablesFrom(rig, gearId).filter(({ to }) => to.gearId === HUB_ID);
  const cable = cables.find(({ from }) => from.gearId === HUB_ID) ?? cables[0];
  if (!cable) return null;
  const [here, there] = direction === 'in' ? [cable.to, cable.from] : [cable.from, cable.to];
  const other = gearOf(rig, there.gearId);
  const label = socketOf(rig, there)?.label ?? '';
  const isHub = there.gearId === HUB_ID;
  return {
    socket: socketOf(rig, here)?.label ?? '',
    port: isHub ? label : null,
    through: isHub || !other ? null : `${other.name}, ${label}`,
  };
}

/** When to switch on what: followers before whoever sends to them, programs after the devices, the leader last. */
export function startingOrder({ gear, leaders }: RigPlan): RigGear[] {
  const isProgram = ({ kind }: RigGear) => kind === 'audioProgram' || kind === 'tablet';
  const rank = (one: RigGear) => (one.id === leaders[0] ? 2 : isProgram(one) ? 1 : 0);
  return gear.filter(({ id }) => id !== HUB_ID).sort((a, b) => rank(a) - rank(b));
}
