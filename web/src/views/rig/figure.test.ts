import { fromShelf, HUB_ID, hubGear, type Cable, type RigGear, type RigPlan } from '@metronomo/core';
import fc from 'fast-check';
import { boathouse } from '../../store/boathouse';
import { gear as newGear } from '../../store/gear';
import { BARE, connect, planOf } from '../../store/rig-plan';
import type { Rig } from '../../store/records';
import { cablePath } from './cable-path';
import { figureOf, inkOf, isDashed, socketPoint } from './figure';
import { layOut, SHEET_WIDTH, sheetHeight } from './lay-out';

const overlaps = (plan: RigPlan): string[] => {
  const places = layOut(plan);
  const boxes = plan.gear.map((gear) => ({ id: gear.id, ...places.get(gear.id)!, height: sheetHeight(gear) }));
  return boxes.flatMap((a, i) =>
    boxes.slice(i + 1).flatMap((b) => {
      const apart =
        a.x + SHEET_WIDTH <= b.x || b.x + SHEET_WIDTH <= a.x || a.y + a.height <= b.y || b.y + b.height <= a.y;
      return apart ? [] : [`${a.id} on ${b.id}`];
    }),
  );
};

const usb = (id: string): RigGear => ({
  ...fromShelf('beatBox', id),
  sockets: [
    { id: 'in', label: 'in', direction: 'in', link: 'usb' },
    { id: 'out', label: 'out', direction: 'out', link: 'usb' },
  ],
});
const between = (from: string, to: string): Cable => ({
  id: `${from}>${to}`,
  from: { gearId: from, socketId: 'out' },
  to: { gearId: to, socketId: 'in' },
  notesPerSecond: 0,
});

describe('positions of the sheets', () => {
  test('in the demo no sheets overlap, and everything fits in three columns', () => {
    const plan = planOf(boathouse());
    expect(overlaps(plan)).toEqual([]);
    const columns = new Set([...layOut(plan).values()].map(({ x }) => x));
    expect(columns.size).toBe(3);
  });

  test('whatever the cables, every device has a place of its own', () => {
    const ids = Array.from({ length: 12 }, (_, i) => `g${i}`);
    const end = fc.constantFrom(HUB_ID, ...ids);
    fc.assert(
      fc.property(fc.array(fc.tuple(end, end), { maxLength: 30 }), end, (pairs, leader) => {
        const cables = pairs.filter(([from, to]) => from !== to).map(([from, to]) => between(from, to));
        const plan: RigPlan = { gear: [hubGear([]), ...ids.map(usb)], cables, leaders: [leader] };
        expect(layOut(plan).size).toBe(13);
        expect(overlaps(plan)).toEqual([]);
      }),
      { seed: 80, numRuns: 200 },
    );
  });

  test('sync flows to the right: a device is in the column after its source, except in the last', () => {
    const plan: RigPlan = {
      gear: [hubGear([]), ...['a', 'b', 'c', 'd'].map(usb)],
      cables: [between(HUB_ID, 'a'), between('a', 'b'), between('b', 'c'), between('c', 'd')],
      leaders: [HUB_ID],
    };
    const places = layOut(plan);
    const x = (id: string) => places.get(id)!.x;
    expect(x(HUB_ID)).toBeLessThan(x('a'));
    expect(x('a')).toBeLessThan(x('b'));
    expect([x('c'), x('d')]).toEqual([x('b'), x('b')]);
    expect(places.get('c')!.y).toBeLessThan(places.get('d')!.y);
  });

  test('another leader comes first', () => {
    const plan: RigPlan = {
      gear: [hubGear([]), usb('keys'), usb('box')],
      cables: [between('keys', HUB_ID), between(HUB_ID, 'box')],
      leaders: ['keys', HUB_ID],
    };
    const places = layOut(plan);
    expect(places.get('keys')!.x).toBeLessThan(places.get(HUB_ID)!.x);
    expect(places.get(HUB_ID)!.x).toBeLessThan(places.get('box')!.x);
  });
});

describe('routes of the cables', () => {
  const rig = boathouse();
  const plan = planOf(rig);
  const figure = figureOf(rig, plan);

  test('backward cables run below all sheets, within the diagram’s bounds', () => {
    const back = plan.cables.find(({ to }) => to.gearId === HUB_ID)!;
    const way = figure.ways.get(back.id)!;
    expect(way.gapY).toBeNull();
    const lowest = Math.max(...plan.gear.map((gear) => figure.places.get(gear.id)!.y + sheetHeight(gear)));
    expect(way.bottom).toBe(lowest);
    expect(figure.bounds.y + figure.bounds.height).toBeGreaterThan(lowest + 14);
    expect(cablePath({ x: 500, y: 100 }, { x: 30, y: 50 }, way)).toBe(`M500 100H514V${lowest + 14}H16V50H30`);
  });

  test('a cable within a column runs through the gap above its target', () => {
    const chain = plan.cables.find(({ to }) => to.gearId === 'moss')!;
    const { gapY } = figure.ways.get(chain.id)!;
    const [fen, moss] = ['fen', 'moss'].map((id) => figure.places.get(id)!);
    const fenGear = plan.gear.find(({ id }) => id === 'fen')!;
    expect(gapY).toBeGreaterThan(fen!.y + sheetHeight(fenGear));
    expect(gapY).toBeLessThan(moss!.y);
  });

  test('forward cables are curves from socket to socket, and sockets are on the edges of their sheets', () => {
    expect(cablePath({ x: 0, y: 0 }, { x: 100, y: 20 }, { gapY: null, bottom: 0, lane: 0 })).toBe(
      'M0 0C50 0 50 20 100 20',
    );
    const porch = plan.gear.find(({ id }) => id === 'porch')!;
    const at = figure.places.get('porch')!;
    expect(socketPoint(porch, 'in', at).x).toBe(at.x);
    expect(socketPoint(porch, 'thru', at).x).toBe(at.x + SHEET_WIDTH);
    expect(socketPoint(porch, 'out', at).y).toBeLessThan(socketPoint(porch, 'thru', at).y);
  });

  test('the color shows what a cable carries, and a network is dashed', () => {
    const to = (id: string) => plan.cables.find((cable) => cable.to.gearId === id)!;
    expect(inkOf(plan, to('porch'))).toBe('var(--clock)');
    expect(inkOf(plan, to('weir'))).toBe('var(--timecode)');
    expect(inkOf(plan, to('vole'))).toBe('var(--audio)');
    expect(inkOf(plan, to('pier'))).toBe('var(--clock)');
    expect(inkOf(plan, to(HUB_ID))).toBe('var(--audio)');
    expect(inkOf({ ...plan, leaders: ['vole'] }, to(HUB_ID))).toBe('var(--clock)');
    expect([isDashed(plan, to('marsh')), isDashed(plan, to('porch'))]).toEqual([true, false]);
  });

  test('a moved sheet stays where it was put', () => {
    const one: Rig = {
      ...BARE,
      id: 'r',
      name: 'R',
      demo: false,
      bpm: 120,
      gear: [newGear({ id: 'a', name: 'A', place: { x: 777, y: 5 } }), newGear({ id: 'b', name: 'B' })],
      input: { sourceId: 'none', label: '', clickChannel: 0 },
    };
    const wired = connect(one, { gearId: 'a', socketId: 'thru' }, { gearId: 'b', socketId: 'in' });
    expect(figureOf(wired, planOf(wired)).places.get('a')).toEqual({ x: 777, y: 5 });
  });
});
