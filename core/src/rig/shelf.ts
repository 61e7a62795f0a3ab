import type { Abilities, GearKind, LinkKind, MenuSettings, OffsetPlace, RigGear, Socket } from './rig';

const NOTHING: Abilities = {
  lead: false,
  follow: false,
  clock: false,
  songPosition: false,
  startStop: false,
  timecode: [],
  mmc: false,
  showsTempo: false,
  fromTopOnly: false,
  destinations: null,
  rearms: false,
  turnsTempo: false,
};

const FOLLOWS_CLOCK: Abilities = { ...NOTHING, follow: true, clock: true, startStop: true };

const SET: MenuSettings = {
  clockSource: 'external',
  clockIn: true,
  clockOut: false,
  thru: false,
  local: true,
  channels: [1],
};
const IN_HUB: OffsetPlace = { where: 'hub', own: 0, unit: 'ms', plusIs: 'later', step: 0.1 };

const socket = (label: string, direction: Socket['direction'], link: LinkKind = 'din'): Socket => ({
  id: label.toLowerCase().replaceAll(' ', '-'),
  label,
  direction,
  link,
});
const DIN = [socket('IN', 'in'), socket('OUT', 'out'), socket('THRU', 'thru')];
const usb = [socket('USB in', 'in', 'usb'), socket('USB out', 'out', 'usb')];

type Template = Pick<RigGear, 'kind' | 'name' | 'sockets' | 'able' | 'syncsTo'> & {
  set?: Partial<MenuSettings>;
  offset?: Partial<OffsetPlace>;
  audio?: string[];
};

/** Generic gear types with their usual capabilities (common practice). */
export const SHELF: readonly Template[] = [
  {
    kind: 'beatBox',
    name: 'Drum machine',
    sockets: DIN,
    able: { ...FOLLOWS_CLOCK, lead: true, songPosition: true, showsTempo: true, turnsTempo: true },
    syncsTo: 'clock',
    audio: ['Main'],
  },
  {
    kind: 'synthesizer',
    name: 'Synthesizer',
    sockets: [...DIN, ...usb],
    able: { ...FOLLOWS_CLOCK, showsTempo: true },
    syncsTo: 'clock',
    audio: ['Main'],
  },
  {
    kind: 'sampler',
    name: 'Sampler',
    sockets: [...DIN, ...usb],
    able: { ...FOLLOWS_CLOCK, lead: true, songPosition: true, mmc: true },
    syncsTo: 'clock',
    audio: ['Main'],
  },
  {
    kind: 'recorder',
    name: 'Recorder',
    sockets: [socket('IN', 'in'), socket('OUT', 'out')],
    able: { ...NOTHING, lead: true, follow: true, timecode: ['24', '25', '29.97df', '30'], mmc: true },
    syncsTo: 'timecode',
    audio: ['Main'],
  },
  {
    kind: 'audioProgram',
    name: 'DAW or audio app',
    sockets: [socket('Loop in', 'in', 'loopback'), socket('Loop out', 'out', 'loopback')],
    able: {
      ...FOLLOWS_CLOCK,
      lead: true,
      songPosition: true,
      timecode: ['24', '25', '29.97df', '30'],
      mmc: true,
      destinations: 1,
    },
    syncsTo: 'clock',
    offset: { where: 'own', step: 1 },
    audio: ['Main'],
  },
  {
    kind: 'tablet',
    name: 'Tablet',
    sockets: [socket('Net in', 'in', 'network'), socket('Net out', 'out', 'network')],
    able: { ...FOLLOWS_CLOCK, rearms: true },
    syncsTo: 'clock',
    audio: ['Phones'],
  },
  {
    kind: 'lightingDesk',
    name: 'Lighting desk',
    sockets: usb,
    able: { ...FOLLOWS_CLOCK, timecode: ['25', '30'] },
    syncsTo: 'clock',
  },
  {
    kind: 'effect',
    name: 'Effects unit',
    sockets: DIN,
    able: { ...FOLLOWS_CLOCK, startStop: false },
    syncsTo: 'clock',
    audio: ['Main'],
  },
  {
    kind: 'keyboard',
    name: 'Keyboard',
    sockets: [...DIN, ...usb],
    able: { ...NOTHING, lead: true, clock: true, startStop: true, turnsTempo: true },
    syncsTo: 'nothing',
    set: { clockSource: 'internal' },
  },
  {
    kind: 'splitBox',
    name: 'Split box',
    sockets: [socket('IN', 'in'), ...['1', '2', '3', '4'].map((label) => socket(label, 'thru'))],
    able: NOTHING,
    syncsTo: 'nothing',
  },
  {
    kind: 'other',
    name: 'Other device',
    sockets: [socket('IN', 'in'), socket('OUT', 'out')],
    able: FOLLOWS_CLOCK,
    syncsTo: 'clock',
    audio: ['Main'],
  },
];

/** A new device of a type, with that type's defaults. */
export function fromShelf(kind: GearKind, id: string, name?: string): RigGear {
  const template = SHELF.find((one) => one.kind === kind);
  if (!template) throw new RangeError(`Unknown gear type: ${kind}.`);
  const { sockets, able, syncsTo, set, offset, audio = [] } = template;
  return {
    id,
    name: name ?? template.name,
    kind,
    notes: '',
    sockets,
    audioOuts: audio.map((label) => ({ label, input: null })),
    able,
    set: { ...SET, ...set },
    syncsTo,
    rate: able.timecode[0] ?? '25',
    leadsWith: able.clock ? 'clock' : 'timecode',
    clockWhileStopped: false,
    offsetMs: 0,
    offset: { ...IN_HUB, ...offset },
  };
}

/** The hub with one socket per port. */
export function hubGear(sockets: readonly Socket[]): RigGear {
  return {
    id: 'hub',
    name: 'Hub',
    kind: 'hub',
    notes: '',
    sockets,
    audioOuts: [],
    able: {
      ...NOTHING,
      lead: true,
      follow: true,
      clock: true,
      songPosition: true,
      startStop: true,
      timecode: ['24', '25', '29.97df', '30'],
      mmc: true,
    },
    set: { ...SET, clockSource: 'automatic', clockOut: true },
    syncsTo: 'nothing',
    rate: '25',
    leadsWith: 'clock',
    clockWhileStopped: false,
    offsetMs: 0,
    offset: IN_HUB,
  };
}
