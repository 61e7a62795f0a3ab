import {
  gearOf,
  HUB_ID,
  planWires,
  portsOfGear,
  socketOf,
  type Cable,
  type RigGear,
  type RigPlan,
} from '@metronomo/core';
import type { Rig } from '../../store/records';
import { roomForLanes, type Point, type WayBack } from './cable-path';
import { GAP, layOut, SHEET_WIDTH, sheetHeight, SOCKET_HEIGHT } from './lay-out';

/** Geometry of the diagram: positions of the sheets, routes of the cables, and total size. */
export interface Figure {
  places: ReadonlyMap<string, Point>;
  ways: ReadonlyMap<string, WayBack>;
  bounds: { x: number; y: number; width: number; height: number };
}

export function figureOf(rig: Rig, plan: RigPlan): Figure {
  const places = layOut(plan);
  for (const { id, place } of rig.gear) if (place) places.set(id, place);
  const at = (id: string) => places.get(id) ?? { x: 0, y: 0 };
  const bottom = Math.max(...plan.gear.map((gear) => at(gear.id).y + sheetHeight(gear)));
  const ways = new Map<string, WayBack>();
  let lanes = 0;
  for (const { id, from, to } of plan.cables) {
    const [source, target] = [at(from.gearId), at(to.gearId)];
    const below = target.y > source.y;
    const gear = gearOf(plan, to.gearId);
    const sameColumn = Math.abs(source.x - target.x) < SHEET_WIDTH / 2;
    const gapY = below ? target.y - GAP / 2 : target.y + (gear ? sheetHeight(gear) : 0) + GAP / 2;
    const back = target.x <= source.x + SHEET_WIDTH;
    ways.set(id, { gapY: sameColumn ? gapY : null, bottom, lane: back && !sameColumn ? lanes++ : 0 });
  }
  const xs = plan.gear.map(({ id }) => at(id).x);
  const ys = plan.gear.map(({ id }) => at(id).y);
  const room = roomForLanes(lanes);
  const [x, y] = [Math.min(...xs) - Math.max(12, room), Math.min(...ys) - 8];
  const width = Math.max(...xs) + SHEET_WIDTH + Math.max(18, room) - x;
  return { places, ways, bounds: { x, y, width, height: bottom + room + 8 - y } };
}

/** Position of a socket in the diagram. */
export function socketPoint(gear: RigGear, socketId: string, { x, y }: Point): Point {
  const isIn = gear.sockets.find(({ id }) => id === socketId)?.direction === 'in';
  const side = gear.sockets.filter(({ direction }) => (direction === 'in') === isIn);
  const index = side.findIndex(({ id }) => id === socketId);
  const top = y + (sheetHeight(gear) - side.length * SOCKET_HEIGHT) / 2;
  return { x: isIn ? x : x + SHEET_WIDTH, y: top + (index + 0.5) * SOCKET_HEIGHT };
}

const INKS = { clock: 'var(--clock)', timecode: 'var(--timecode)', nothing: 'var(--audio)' } as const;

export function inkOf(plan: RigPlan, cable: Cable): string {
  return INKS[carriedBy(plan, cable)];
}

/**
 * The sync that a cable carries: what the far end syncs to, or what its wire carries past it; into the hub, what a
 * possible leader sends.
 */
export function carriedBy(plan: RigPlan, { from, to }: Cable): RigGear['syncsTo'] {
  if (to.gearId !== HUB_ID) return carriedTo(plan, to.gearId);
  const source = gearOf(plan, from.gearId);
  return source && plan.leaders.includes(source.id) ? source.leadsWith : 'nothing';
}

function carriedTo(plan: RigPlan, gearId: string): RigGear['syncsTo'] {
  const syncsTo = gearOf(plan, gearId)?.syncsTo ?? 'nothing';
  if (syncsTo !== 'nothing') return syncsTo;
  const portId = portsOfGear(plan).get(gearId);
  const { clock, timecode } = planWires(plan).wires.find((wire) => wire.portId === portId)?.settings.sends ?? {};
  return clock ? 'clock' : timecode ? 'timecode' : 'nothing';
}

export function isDashed(plan: RigPlan, { from }: Cable): boolean {
  return socketOf(plan, from)?.link === 'network';
}
