import { HUB_ID, type LinkKind, type Section, type Socket, type SocketRef } from '@metronomo/core';
import { pairs } from 'd3-array';
import { factsOf, gear } from './gear';
import { BARE, connect, setInputPort, setOutputPort } from './rig-plan';
import type { Gear, Rig } from './records';

export const BOATHOUSE_SOURCE = 'boathouse';
export const PRACTICE_ID = 'practice';

const everything = { clock: true, transport: true, position: true };
const oneLink = (link: LinkKind, label: string): Socket[] => [
  { id: 'in', label: `${label} in`, direction: 'in', link },
  { id: 'out', label: `${label} out`, direction: 'out', link },
];

/** A follower with an audio return, on its own port. */
function heard(id: string, name: string, input: number, change: Partial<Gear>): Gear {
  return gear({ id, name, returnChannel: input, sends: everything, ...change });
}

/** An app could hold its offset itself; here the hub does, so that one press aligns everyone. */
const inHub = { ...factsOf('audioProgram').offset, where: 'hub' as const };
const noShow = (kind: Gear['kind']) => ({ ...factsOf(kind).able, showsTempo: false });

/** Eleven devices with an audio return, and the rest of the room, with a few deliberate faults. */
const GEAR: readonly Gear[] = [
  heard('porch', 'Porch beat box', 1, { notes: 'Its display goes on blinking at the last tempo it heard.' }),
  heard('tide', 'Tide sampler', 2, { kind: 'sampler', sockets: factsOf('beatBox').sockets }),
  heard('heron', 'Heron synth', 3, {
    kind: 'synthesizer',
    able: noShow('synthesizer'),
    sockets: factsOf('beatBox').sockets,
  }),
  heard('otter', 'Otter bass box', 4, { able: noShow('beatBox') }),
  heard('gull', 'Gull drums', 5, {
    able: { ...noShow('beatBox'), lead: false },
    sockets: oneLink('usb', 'USB'),
    notes: 'Sends its clock back on USB, but has no transport of its own.',
  }),
  heard('lantern', 'Lantern tablet', 6, { kind: 'tablet', sockets: oneLink('tablet', 'Tablet') }),
  heard('ledger', 'Ledger program', 7, { kind: 'audioProgram', sockets: oneLink('loopback', 'Loop'), offset: inHub }),
  heard('marsh', 'Marsh laptop', 8, { kind: 'audioProgram', sockets: oneLink('network', 'Net'), offset: inHub }),
  heard('rush', 'Rush beat box', 10, { able: noShow('beatBox') }),
  heard('teal', 'Teal sampler', 11, {
    kind: 'sampler',
    able: noShow('sampler'),
    sockets: factsOf('beatBox').sockets,
    set: { ...factsOf('sampler').set, channels: [2] },
  }),
  heard('quill', 'Quill program', 12, { kind: 'audioProgram', sockets: oneLink('loopback', 'Loop'), offset: inHub }),
  gear({ id: 'pier', name: 'Pier split box', kind: 'splitBox' }),
  gear({
    id: 'weir',
    name: 'Weir recorder',
    kind: 'recorder',
    rate: '24',
    able: { ...factsOf('recorder').able, timecode: ['25', '30'] },
  }),
  gear({
    id: 'vole',
    name: 'Vole keyboard',
    kind: 'keyboard',
    set: { ...factsOf('keyboard').set, thru: true, channels: [1] },
  }),
  // A chain of thrus behind the bass box.
  gear({ id: 'fen', name: 'Fen echo', kind: 'effect', set: { ...factsOf('effect').set, channels: [2] } }),
  gear({ id: 'moss', name: 'Moss echo', kind: 'effect', set: { ...factsOf('effect').set, channels: [2] } }),
  gear({ id: 'reed', name: 'Reed filter', kind: 'effect', set: { ...factsOf('effect').set, channels: [3] } }),
  gear({
    id: 'loft',
    name: 'Loft lamps',
    kind: 'lightingDesk',
    sends: everything,
    sockets: oneLink('din', 'DIN'),
    set: { ...factsOf('lightingDesk').set, clockSource: 'internal', channels: [16] },
  }),
];

const PORTS: readonly [gearId: string, name: string][] = [
  ['porch', 'DIN 1'],
  ['tide', 'DIN 2'],
  ['heron', 'DIN 3'],
  ['otter', 'DIN 4'],
  ['gull', 'USB 1'],
  ['lantern', 'Tablet cable'],
  ['ledger', 'Loopback'],
  ['marsh', 'Network'],
  ['weir', 'DIN 5'],
  ['vole', 'DIN 6'],
  ['pier', 'DIN 7'],
];

export interface StandInPort {
  id: string;
  name: string;
}

/** The ports of the simulated room. */
export const STAND_IN_OUTPUTS: readonly StandInPort[] = PORTS.map(([id, name]) => ({ id: `boathouse-${id}`, name }));
export const STAND_IN_INPUTS: readonly StandInPort[] = [
  { id: 'boathouse-vole', name: 'DIN in' },
  { id: 'boathouse-gull', name: 'USB in' },
];

/** The same room with nothing wired, to practice setting up a studio. */
export function practiceStudio(): Rig {
  return {
    ...BARE,
    id: PRACTICE_ID,
    name: 'Practice studio',
    demo: true,
    bpm: 120,
    gear: [],
    input: { sourceId: BOATHOUSE_SOURCE, label: 'Boathouse interface', clickChannel: 0 },
  };
}

/** Behind the split box, and on the loopback that another program uses already. */
const SHARED: readonly [from: SocketRef, gearId: string][] = [
  [{ gearId: 'pier', socketId: '1' }, 'rush'],
  [{ gearId: 'pier', socketId: '2' }, 'teal'],
  [{ gearId: HUB_ID, socketId: 'boathouse-ledger' }, 'quill'],
];
const CHAIN = ['otter', 'fen', 'moss', 'reed', 'loft'];
/** The bass line and knob movements on the chain, messages per second. */
const CHAIN_NOTES = 12;

const section = (name: string, bars: number, bpm: number, more: Partial<Section> = {}): Section => ({
  ...{ name, bars, bpm, toBpm: null, beatsPerBar: 4, beatUnit: 4 },
  ...more,
});

/** The invented duo's boathouse: wired, playing, and out of time. */
export function boathouse(): Rig {
  const bare: Rig = {
    ...BARE,
    id: 'boathouse',
    name: 'Boathouse, “Salt Ledger”',
    demo: true,
    bpm: 79.3,
    song: {
      ...BARE.song,
      timecodeStart: { hours: 1, minutes: 0, seconds: 0, frames: 0 },
      sections: [
        section('Intro', 4, 71.5),
        section('Verse', 16, 79.3),
        section('Bridge', 4, 79.3, { beatsPerBar: 7, beatUnit: 8 }),
        section('Verse 2', 16, 79.3),
        section('Coda', 8, 79.3, { toBpm: 98.2 }),
      ],
    },
    gear: [...GEAR],
    input: { sourceId: BOATHOUSE_SOURCE, label: 'Boathouse interface', clickChannel: 0 },
  };
  const fed = PORTS.reduce((rig, [id, name]) => setOutputPort(rig, id, { id: `boathouse-${id}`, name }), bare);
  const back = setInputPort(fed, 'vole', { id: 'boathouse-vole', name: 'DIN in' });
  const returning = setInputPort(back, 'gull', { id: 'boathouse-gull', name: 'USB in' });
  const chained = pairs(CHAIN).reduce(
    (rig, [from, to]) => connect(rig, { gearId: from, socketId: 'thru' }, { gearId: to, socketId: 'in' }),
    returning,
  );
  const shared = SHARED.reduce((rig, [from, gearId]) => connect(rig, from, { gearId, socketId: 'in' }), chained);
  const cables = shared.cables.map((cable) => ({
    ...cable,
    notesPerSecond: ['otter', 'fen', 'moss'].includes(cable.to.gearId) ? CHAIN_NOTES : 0,
  }));
  return { ...shared, cables };
}
