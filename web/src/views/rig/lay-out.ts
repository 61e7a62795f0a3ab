import { cablesFrom, gearOf, HUB_ID, type RigGear, type RigPlan } from '@metronomo/core';
import { group, sort, sum } from 'd3-array';
import type { Point } from './cable-path';

export const SHEET_WIDTH = 270;
const MIN_HEIGHT = 50;
export const SOCKET_HEIGHT = 19;
export const SHEET_PADDING = 6;
export const GAP = 14;
const COLUMN_GAP = 110;
const MARGIN = 30;
const LOOSE_IN_A_ROW = 3;
/**
 * Columns from the hub on; devices further down a chain are placed below their source, so that the diagram fits on one
 * page.
 */
const MAX_COLUMNS = 3;

export function sheetHeight({ sockets }: RigGear): number {
  const ins = sockets.filter(({ direction }) => direction === 'in').length;
  return Math.max(MIN_HEIGHT, SOCKET_HEIGHT * Math.max(ins, sockets.length - ins) + 2 * SHEET_PADDING);
}

interface RankedGear {
  gear: RigGear;
  /** Distance from the leader in cables. */
  rank: number;
  /** The device it is fed by; null if none. */
  parent: RigGear | null;
}

/**
 * Position of all devices, sync flowing from the leader to the right, without overlap; upper left corners, in px. A
 * column holds devices equally far away, ordered like the sockets that feed them. (A graph layout library took over a
 * second for sixty devices and two hundred cables, and crossed more of them.)
 */
export function layOut(plan: RigPlan): Map<string, Point> {
  const standings = inOrder(plan);
  const hubRank = standings.find(({ gear }) => gear.id === HUB_ID)?.rank ?? 0;
  const columns = group(standings, ({ rank }) => Math.min(rank, hubRank + MAX_COLUMNS - 1));
  const bottom = MARGIN + Math.max(...[...columns.values()].map(heightOf));
  const places = new Map<string, Point>();
  for (const [column, members] of sort(columns, ([index]) => index)) {
    const [first] = members;
    const beside = first?.parent ? socketY(first, places) : MARGIN;
    let y = Math.max(MARGIN, Math.min(beside, bottom - heightOf(members)));
    for (const { gear } of members) {
      places.set(gear.id, { x: MARGIN + column * (SHEET_WIDTH + COLUMN_GAP), y });
      y += sheetHeight(gear) + GAP;
    }
  }
  placeLoose(
    plan.gear.filter(({ id }) => !places.has(id)),
    bottom + 2 * GAP,
    places,
  );
  return places;
}

function heightOf(members: readonly RankedGear[]): number {
  return sum(members, ({ gear }) => sheetHeight(gear) + GAP) - GAP;
}

/** All connected devices, each before the ones it feeds, in socket order. */
function inOrder(plan: RigPlan): RankedGear[] {
  const seen = new Map<string, RankedGear>();
  const children = new Map<string, RankedGear[]>();
  const wired = new Set(plan.cables.flatMap(({ from, to }) => [from.gearId, to.gearId]));
  const roots = [plan.leaders[0] ?? HUB_ID, HUB_ID, ...plan.gear.filter(({ id }) => wired.has(id)).map(({ id }) => id)];
  // Breadth first: the shortest path from the leader determines the column.
  for (const root of roots) {
    const gear = gearOf(plan, root);
    if (!gear || seen.has(root)) continue;
    const queue: RankedGear[] = [{ gear, rank: 0, parent: null }];
    seen.set(root, queue[0] as RankedGear);
    for (let at = queue.shift(); at; at = queue.shift())
      for (const { to } of sort(cablesFrom(plan, at.gear.id), ({ from }) => outIndex(at.gear, from.socketId))) {
        const next = gearOf(plan, to.gearId);
        if (!next || seen.has(next.id)) continue;
        const standing = { gear: next, rank: at.rank + 1, parent: at.gear };
        seen.set(next.id, standing);
        children.set(at.gear.id, [...(children.get(at.gear.id) ?? []), standing]);
        queue.push(standing);
      }
  }
  // Then depth first: devices follow the one that feeds them.
  const ordered: RankedGear[] = [];
  const visit = (standing: RankedGear) => {
    ordered.push(standing);
    for (const child of children.get(standing.gear.id) ?? []) visit(child);
  };
  for (const standing of seen.values()) if (standing.parent === null) visit(standing);
  return ordered;
}

function outIndex(gear: RigGear, socketId: string): number {
  return gear.sockets.filter(({ direction }) => direction !== 'in').findIndex(({ id }) => id === socketId);
}

/** Next to the socket that feeds it. */
function socketY({ parent }: RankedGear, places: ReadonlyMap<string, Point>): number {
  return parent ? (places.get(parent.id)?.y ?? MARGIN) : MARGIN;
}

/** Unconnected devices in rows below the rest. */
function placeLoose(loose: readonly RigGear[], top: number, places: Map<string, Point>): void {
  let y = top;
  for (let from = 0; from < loose.length; from += LOOSE_IN_A_ROW) {
    const row = loose.slice(from, from + LOOSE_IN_A_ROW);
    row.forEach(({ id }, i) => places.set(id, { x: MARGIN + i * (SHEET_WIDTH + GAP), y }));
    y += Math.max(...row.map(sheetHeight)) + GAP;
  }
}
