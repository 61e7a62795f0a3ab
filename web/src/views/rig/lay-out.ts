import { cablesFrom, gearOf, HUB_ID, type RigGear, type RigPlan } from '@metronomo/core';
import { group, sort, sum } from 'd3-array';
import type { Point } from './cable-path';

export const SHEET_WIDTH = 270;
const LEAST_HEIGHT = 50;
export const SOCKET_HEIGHT = 19;
export const SHEET_PADDING = 6;
export const GAP = 14;
const COLUMN_GAP = 110;
const MARGIN = 30;
const LOOSE_IN_A_ROW = 3;
/** From the hub on; what hangs further down a chain stands under what it hangs on, so that all fits on one sheet of paper. */
const MOST_COLUMNS = 3;

export function sheetHeight({ sockets }: RigGear): number {
  const ins = sockets.filter(({ direction }) => direction === 'in').length;
  return Math.max(LEAST_HEIGHT, SOCKET_HEIGHT * Math.max(ins, sockets.length - ins) + 2 * SHEET_PADDING);
}

interface Standing {
  gear: RigGear;
  /** How many cables from the leader. */
  rank: number;
  /** What it hangs on; null where it hangs on nobody. */
  parent: RigGear | null;
}

/**
 * Places for all gear, time flowing from the leader to the right, none on another; the upper left corner of each, in px. A
 * column holds what is equally many cables away, from top to bottom as the cables leave what it hangs on. (A library that
 * lays out graphs took more than a second for sixty pieces and two hundred cables, and crossed more of them.)
 */
export function layOut(plan: RigPlan): Map<string, Point> {
  const standings = inOrder(plan);
  const hubRank = standings.find(({ gear }) => gear.id === HUB_ID)?.rank ?? 0;
  const columns = group(standings, ({ rank }) => Math.min(rank, hubRank + MOST_COLUMNS - 1));
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

function heightOf(members: readonly Standing[]): number {
  return sum(members, ({ gear }) => sheetHeight(gear) + GAP) - GAP;
}

/** All that hangs together, each before what hangs on it, in the order of the sockets. */
function inOrder(plan: RigPlan): Standing[] {
  const seen = new Map<string, Standing>();
  const children = new Map<string, Standing[]>();
  const wired = new Set(plan.cables.flatMap(({ from, to }) => [from.gearId, to.gearId]));
  const roots = [plan.leaders[0] ?? HUB_ID, HUB_ID, ...plan.gear.filter(({ id }) => wired.has(id)).map(({ id }) => id)];
  // First breadth: the shortest way from the leader tells the column.
  for (const root of roots) {
    const gear = gearOf(plan, root);
    if (!gear || seen.has(root)) continue;
    const queue: Standing[] = [{ gear, rank: 0, parent: null }];
    seen.set(root, queue[0] as Standing);
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
  // Then depth: what hangs on something follows it.
  const ordered: Standing[] = [];
  const visit = (standing: Standing) => {
    ordered.push(standing);
    for (const child of children.get(standing.gear.id) ?? []) visit(child);
  };
  for (const standing of seen.values()) if (standing.parent === null) visit(standing);
  return ordered;
}

function outIndex(gear: RigGear, socketId: string): number {
  return gear.sockets.filter(({ direction }) => direction !== 'in').findIndex(({ id }) => id === socketId);
}

/** Beside what it hangs on. */
function socketY({ parent }: Standing, places: ReadonlyMap<string, Point>): number {
  return parent ? (places.get(parent.id)?.y ?? MARGIN) : MARGIN;
}

/** Gear without a cable waits in rows under the rest. */
function placeLoose(loose: readonly RigGear[], top: number, places: Map<string, Point>): void {
  let y = top;
  for (let from = 0; from < loose.length; from += LOOSE_IN_A_ROW) {
    const row = loose.slice(from, from + LOOSE_IN_A_ROW);
    row.forEach(({ id }, i) => places.set(id, { x: MARGIN + i * (SHEET_WIDTH + GAP), y }));
    y += Math.max(...row.map(sheetHeight)) + GAP;
  }
}
