import 'fake-indexeddb/auto';
import { lineCheck } from '@metronomo/core';
import { boathouse } from '../store/boathouse';
import { planOf } from '../store/rig-plan';
import { readRigFile, writeRigFile } from './rig-file';
import { FileError } from './text-file';
import { saveRig } from '../store/rigs';

type Loose = Record<string, unknown>;
const file = (change: (rig: Loose & { gear: Loose[]; cables: Loose[] }) => void, version: unknown = 2) => {
  const rig = JSON.parse(JSON.stringify(boathouse())) as Loose & { gear: Loose[]; cables: Loose[] };
  change(rig);
  return JSON.stringify({ metronomoRig: version, rig });
};

test('the demo has at least eight devices on every kind of link, with six or more different faults', async () => {
  const rig = boathouse();
  await saveRig(rig);
  expect(rig.gear.length).toBeGreaterThanOrEqual(8);
  const links = new Set(rig.gear.flatMap(({ sockets }) => sockets.map(({ link }) => link)));
  expect([...links].sort()).toEqual(['din', 'loopback', 'network', 'tablet', 'usb']);
  const found = lineCheck(planOf(rig)).filter(({ severity }) => severity !== 'unproved');
  const rules = new Set(found.map(({ seen }) => seen.rule));
  expect([...rules].sort()).toEqual([
    'long chain',
    'loop',
    'old tempo',
    'other frame rate',
    'same channel',
    'set to internal',
    'ticks wait',
  ]);
});

test('a saved rig opens unchanged, under its own id', () => {
  const rig = boathouse();
  const { rig: again, notes } = readRigFile(writeRigFile(rig));
  expect(notes).toEqual([]);
  expect({ ...again, id: rig.id, demo: rig.demo }).toEqual(rig);
  expect(again.id).not.toBe(rig.id);
});

test('a version 1 file, with the old field names, opens as the same rig', () => {
  const rig = boathouse();
  const text = writeRigFile(rig).replaceAll('"syncsTo":', '"takes":').replaceAll('"leadsWith":', '"gives":');
  const { rig: again, notes } = readRigFile(text.replace('"metronomoRig": 2', '"metronomoRig": 1'));
  expect(notes).toEqual([]);
  expect(writeRigFile({ ...again, id: rig.id, demo: rig.demo })).toBe(writeRigFile(rig));
});

test('unknown device types become generic, cables without a socket are dropped, and both are reported', () => {
  const { rig, notes } = readRigFile(
    file(({ gear, cables }) => {
      gear[0]!.kind = 'theremin';
      (cables[1]!.to as Loose).socketId = 'gone';
    }),
  );
  expect(rig.gear[0]).toMatchObject({ name: 'Porch beat box', kind: 'other' });
  expect(rig.gear[0]!.notes).toMatch(/blinking.*type: theremin/);
  expect(rig.cables).toHaveLength(boathouse().cables.length - 1);
  expect(notes).toEqual([
    expect.stringMatching(/Porch beat box: unknown device type \(theremin\)/),
    expect.stringMatching(/One cable wasn’t imported/),
  ]);
});

test('a disconnected port stays in the rig, and the line check reports it', () => {
  const { rig } = readRigFile(file(() => undefined));
  const found = lineCheck(planOf(rig), { ...lineCheckEvidence, connectedPorts: new Set() });
  expect(
    found.filter(({ seen }) => seen.rule === 'nothing arrives' && seen.cause === 'port gone').length,
  ).toBeGreaterThan(5);
});
const lineCheckEvidence = {
  bpm: 120,
  portsInUse: new Set<string>(),
  receiving: new Map(),
  expects: new Map(),
  reconnected: new Set<string>(),
  unanswered: new Set<string>(),
  measured: new Map(),
};

test.each<[string, string, RegExp]>([
  ['no JSON', 'a rig', /This file isn’t valid JSON/],
  ['another file', '{"a":1}', /isn’t a rig file/],
  ['a newer version', file(() => undefined, 3), /newer Metronomo \(version 3; this one reads up to 2\)/],
  ['no rig', '{"metronomoRig":1}', /contains no rig/],
  ['no gear', file((rig) => Object.assign(rig, { gear: 'none' })), /“rig.gear” isn’t a list/],
  ['gear without a name', file(({ gear }) => delete gear[2]!.name), /rig\.gear\[2\] has no id or name/],
  ['a tempo that cannot be', file((rig) => (rig.bpm = 1e9)), /bpm/],
  ['an offset of another type', file(({ gear }) => (gear[1]!.offsetMs = 'soon')), /gear\[1\]\.offsetMs/],
  ['too many pieces', file((rig) => (rig.gear = Array.from({ length: 99 }, () => rig.gear[0]!))), /gear/],
  ['a file that is too large', ' '.repeat(2_000_001), /too large/],
])('%s is rejected with a message', (_, text, words) => {
  expect(() => readRigFile(text)).toThrow(FileError);
  expect(() => readRigFile(text)).toThrow(words);
});

test('whatever replaces a value, a file opens or is rejected with a message, and never crashes', () => {
  const hostile: unknown[] = [null, 5, -1e308, '', 'x'.repeat(5000), [], {}, [[]], [null], { length: 1e9 }, true];
  const whole = JSON.parse(writeRigFile(boathouse())) as object;
  const places: (string | number)[][] = [];
  const walk = (value: unknown, path: (string | number)[]) => {
    if (path.length > 0) places.push(path);
    if (typeof value !== 'object' || value === null || path.length > 5) return;
    for (const key of Object.keys(value).slice(0, 40)) walk((value as Loose)[key], [...path, key]);
  };
  walk(whole, []);
  let [opened, refused] = [0, 0];
  places.forEach((path, i) => {
    if (i % 4 !== 0 && path.length > 3) return; // One in four of the nested paths.
    const copy = JSON.parse(JSON.stringify(whole)) as Loose;
    const parent = path.slice(0, -1).reduce<Loose>((at, key) => at[key] as Loose, copy);
    parent[path.at(-1)!] = hostile[i % hostile.length];
    try {
      readRigFile(JSON.stringify(copy));
      opened++;
    } catch (error) {
      expect(error).toBeInstanceOf(FileError);
      refused++;
    }
  });
  expect(refused).toBeGreaterThan(100);
  expect(opened).toBeGreaterThan(0);
});

test('peers of a file are strangers, whatever the file says, and the notice names them; exported, they are plain peers', () => {
  const peer = { key: 'jetty', name: 'Jetty', address: '192.0.2.7', port: 5004, weInvite: false, bufferMs: 30 };
  const peers = [
    { ...peer, fromFile: false },
    { ...peer, key: 'pier', name: 'Pier', weInvite: true },
  ];
  const { rig, notes } = readRigFile(file((one) => Object.assign(one, { peers })));
  expect(rig.peers!.map(({ name, fromFile }) => [name, fromFile])).toEqual([
    ['Jetty', true],
    ['Pier', true],
  ]);
  expect(notes.join(' ')).toContain('Jetty, Pier');
  expect(writeRigFile(rig)).not.toContain('fromFile');
});
