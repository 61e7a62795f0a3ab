import { HUB_ID } from '@metronomo/core';
import equal from 'fast-deep-equal';
import { signed } from '../parts/words';
import { offsetName } from '../parts/device-offset-words';
import type { Gear, OffsetMove, Rig } from '../store/records';
import { decimal, fps } from '../words/numbers';

/** Differences between two versions of a rig: moved offsets, and everything else as one line each. */
export interface RigChanges {
  moves: OffsetMove[];
  lines: string[];
  gearIds: string[];
}

/** Logged settings of a device, with their labels. Its place in the diagram and its checklist aren't logged. */
const SET_ON_GEAR: readonly [keyof Gear, string][] = [
  ['portId', 'output port'],
  ['sends', 'messages sent'],
  ['mmc', 'MMC'],
  ['leadsWith', 'sync sent when leading'],
  ['clockRate', 'half/double time'],
  ['clockWhileStopped', 'clock while stopped'],
  ['triggers', 'beat triggers'],
  ['set', 'device settings'],
  ['able', 'capabilities'],
  ['sockets', 'sockets'],
  ['audioOuts', 'audio outputs'],
  ['kind', 'device type'],
  ['notes', 'notes (text)'],
];

/** Settings short enough to log with their old and new value. */
const SHORT_ON_GEAR: readonly [string, (gear: Gear) => string][] = [
  ['syncs to', ({ syncsTo }) => (syncsTo === 'clock' ? 'MIDI clock' : syncsTo)],
  ['frame rate', ({ rate }) => fps(rate)],
  ['test note channel', ({ noteChannel }) => String(noteChannel)],
  ['incoming sync offset', ({ syncOffsetMs = 0 }) => `${signed(syncOffsetMs)} ms`],
  ['audio return', ({ returnChannel }) => (returnChannel === null ? 'not connected' : `input ${returnChannel + 1}`)],
];

const SET_ON_RIG: readonly [keyof Rig, string][] = [
  ['song', 'Song'],
  ['routes', 'MIDI routes'],
  ['following', 'External sync settings'],
  ['tested', 'Line test results'],
  ['accepted', 'Accepted Line check findings'],
  ['hubSockets', 'Hub sockets'],
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

  if (before.name !== after.name) say(`Rig renamed: ${before.name} → ${after.name}`);
  if (before.bpm !== after.bpm) say(`Tempo ${decimal(before.bpm, 2)} → ${decimal(after.bpm, 2)} BPM`);
  for (const { id, name } of before.gear) if (!is.has(id)) say(`${name} removed`, id);
  for (const gear of after.gear) {
    const old = was.get(gear.id);
    if (!old) {
      say(`${gear.name} added`, gear.id);
      continue;
    }
    if (old.offsetMs !== gear.offsetMs)
      moves.push({ gearId: gear.id, name: gear.name, fromMs: old.offsetMs, toMs: gear.offsetMs });
    const [first, ...more] = gearLines(old, gear, after);
    if (first) say([first, ...more].join('; '), gear.id);
  }
  cableLines(before, after, say);
  if (!equal(before.leaders, after.leaders)) {
    const names = after.leaders.map((id) => (id === HUB_ID ? 'the hub' : (is.get(id)?.name ?? id)));
    say(`Leader: ${names.join(', then ')}`, ...after.leaders.slice(0, 1));
  }
  if (before.takeOver !== after.takeOver)
    say(after.takeOver === 'whoeverPlays' ? 'Leader: whoever plays' : 'Leader: by the fallback order');
  if (!equal(before.input, after.input))
    say(`Audio input: ${after.input.label}, click input ${after.input.clickChannel + 1}`);
  if (!equal(before.align, after.align))
    say(`Align: target ${targetName(after)}, tolerance ${after.align.toleranceMs} ms`);
  for (const [key, name] of SET_ON_RIG) if (!equal(before[key], after[key])) say(`${name} changed`);
  return { moves, lines, gearIds: [...gearIds] };
}

function gearLines(old: Gear, gear: Gear, rig: Rig): string[] {
  const changed = SET_ON_GEAR.filter(([key]) => !equal(old[key], gear[key])).map(([, name]) => name);
  return [
    ...(old.name === gear.name ? [] : [`${old.name} renamed to ${gear.name}`]),
    ...(old.offset.own === gear.offset.own
      ? []
      : [`${gear.name}, device offset: ${signed(old.offset.own)} → ${signed(gear.offset.own)} ${gear.offset.unit}`]),
    ...(gear.moreOffsets ?? []).flatMap((field) => {
      const before = old.moreOffsets?.find(({ id }) => id === field.id)?.own ?? 0;
      const change = `${signed(before)} → ${signed(field.own)} ${field.unit}`;
      return before === field.own ? [] : [`${gear.name}, offset for ${offsetName(field, rig)}: ${change}`];
    }),
    ...(old.offset.where === gear.offset.where
      ? []
      : [`${gear.name}: offset now applied ${gear.offset.where === 'hub' ? 'by the hub' : 'on the device'}`]),
    ...SHORT_ON_GEAR.flatMap(([label, value]) =>
      value(old) === value(gear) ? [] : [`${gear.name}, ${label}: ${value(old)} → ${value(gear)}`],
    ),
    ...(changed.length > 0 ? [`${gear.name}: ${changed.join(', ')} changed`] : []),
  ];
}

function cableLines(before: Rig, after: Rig, say: (line: string, ...ids: string[]) => void): void {
  const nameIn = (rig: Rig, id: string) =>
    id === HUB_ID ? 'the hub' : (rig.gear.find((gear) => gear.id === id)?.name ?? id);
  const added = after.cables.filter(({ id }) => !before.cables.some((cable) => cable.id === id));
  const gone = before.cables.filter(({ id }) => !after.cables.some((cable) => cable.id === id));
  for (const { from, to } of gone)
    say(`Cable removed: ${nameIn(before, from.gearId)} to ${nameIn(before, to.gearId)}`, from.gearId, to.gearId);
  for (const { from, to } of added)
    say(`Cable added: ${nameIn(after, from.gearId)} to ${nameIn(after, to.gearId)}`, from.gearId, to.gearId);
}

function targetName({ align: { target }, gear }: Rig): string {
  if (target === 'grid') return 'the beat';
  if (target === 'latest') return 'the slowest device';
  return gear.find(({ id }) => id === target.id)?.name ?? 'a device';
}
