import { HUB_ID } from '@metronomo/core';
import equal from 'fast-deep-equal';
import { signed } from '../parts/words';
import type { Gear, OffsetMove, Rig } from '../store/records';

/** What differs between a rig and the same rig later: offsets that were moved, and the rest in words, a line each. */
export interface RigChanges {
  moves: OffsetMove[];
  lines: string[];
  gearIds: string[];
}

/** What is set on gear, as people call it. Where it lies in the drawing, and what is ticked off, is nobody's business later. */
const SET_ON_GEAR: readonly [keyof Gear, string][] = [
  ['portId', 'the port that leads to it'],
  ['sends', 'what it is sent'],
  ['mmc', 'machine control'],
  ['takes', 'what it takes'],
  ['gives', 'what it gives'],
  ['rate', 'its frame rate'],
  ['clockRate', 'half or double time'],
  ['clockWhileStopped', 'clock while stopped'],
  ['noteChannel', 'its note channel'],
  ['returnChannel', 'the input that hears it'],
  ['sharesFeedOf', 'whose feed it shares'],
  ['triggers', 'its beat triggers'],
  ['set', 'its own menus'],
  ['able', 'what it can do'],
  ['sockets', 'its sockets'],
  ['audioOuts', 'its audio outs'],
  ['kind', 'what it is'],
  ['notes', 'its notes'],
];

const SET_ON_RIG: readonly [keyof Rig, string][] = [
  ['song', 'The song'],
  ['routes', 'Routes for notes'],
  ['following', 'How time is followed'],
  ['tested', 'Line tests'],
  ['accepted', 'What was accepted in the line check'],
  ['hubSockets', 'The hub’s sockets'],
];

export function rigChanges(before: Rig, after: Rig): RigChanges {
  const was = new Map(before.gear.map((gear) => [gear.id, gear]));
  const is = new Map(after.gear.map((gear) => [gear.id, gear]));
  const moves: OffsetMove[] = [];
  const lines: string[] = [];
  const gearIds = new Set<string>();
  const say = (line: string, ...ids: string[]) => {
    lines.push(line);
    for (const id of ids) if (id !== HUB_ID) gearIds.add(id);
  };

  if (before.name !== after.name) say(`The rig is called ${after.name} now; it was ${before.name}.`);
  if (before.bpm !== after.bpm) say(`Tempo ${before.bpm.toFixed(2)} → ${after.bpm.toFixed(2)} BPM`);
  for (const { id, name } of before.gear) if (!is.has(id)) say(`${name} was taken away.`, id);
  for (const gear of after.gear) {
    const old = was.get(gear.id);
    if (!old) {
      say(`${gear.name} was added.`, gear.id);
      continue;
    }
    if (old.offsetMs !== gear.offsetMs)
      moves.push({ gearId: gear.id, name: gear.name, fromMs: old.offsetMs, toMs: gear.offsetMs });
    const [first, ...more] = gearLines(old, gear);
    if (first) say([first, ...more].join('; '), gear.id);
  }
  cableLines(before, after, say);
  if (!equal(before.leaders, after.leaders)) {
    const names = after.leaders.map((id) => (id === HUB_ID ? 'the hub' : (is.get(id)?.name ?? id)));
    say(`Who leads: ${names.join(', then ')}`, ...after.leaders.slice(0, 1));
  }
  if (!equal(before.input, after.input))
    say(`Sound comes in by ${after.input.label}, the click on input ${after.input.clickChannel + 1}`);
  if (!equal(before.align, after.align)) say(`Align: tolerance ${after.align.toleranceMs} ms, ${targetName(after)}`);
  for (const [key, name] of SET_ON_RIG) if (!equal(before[key], after[key])) say(`${name} changed.`);
  return { moves, lines, gearIds: [...gearIds] };
}

function gearLines(old: Gear, gear: Gear): string[] {
  const changed = SET_ON_GEAR.filter(([key]) => !equal(old[key], gear[key])).map(([, name]) => name);
  return [
    ...(old.name === gear.name ? [] : [`${old.name} is called ${gear.name} now`]),
    ...(old.offset.own === gear.offset.own
      ? []
      : [`${gear.name}, its own menu: ${signed(old.offset.own)} → ${signed(gear.offset.own)} ${gear.offset.unit}`]),
    ...(old.offset.where === gear.offset.where
      ? []
      : [`${gear.name}: its offset goes into ${gear.offset.where === 'hub' ? 'the hub' : 'its own menu'}`]),
    ...(changed.length > 0 ? [`${gear.name}: ${changed.join(', ')} changed`] : []),
  ];
}

function cableLines(before: Rig, after: Rig, say: (line: string, ...ids: string[]) => void): void {
  const nameIn = (rig: Rig, id: string) =>
    id === HUB_ID ? 'the hub' : (rig.gear.find((gear) => gear.id === id)?.name ?? id);
  const added = after.cables.filter(({ id }) => !before.cables.some((cable) => cable.id === id));
  const gone = before.cables.filter(({ id }) => !after.cables.some((cable) => cable.id === id));
  for (const { from, to } of gone)
    say(`Cable out: ${nameIn(before, from.gearId)} to ${nameIn(before, to.gearId)}`, from.gearId, to.gearId);
  for (const { from, to } of added)
    say(`Cable in: ${nameIn(after, from.gearId)} to ${nameIn(after, to.gearId)}`, from.gearId, to.gearId);
}

function targetName({ align: { target }, gear }: Rig): string {
  if (target === 'grid') return 'onto the beat';
  if (target === 'latest') return 'with the slowest';
  return `with ${gear.find(({ id }) => id === target.id)?.name ?? 'one'}`;
}
