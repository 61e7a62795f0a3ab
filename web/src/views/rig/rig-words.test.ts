import { checklist, lineCheck, NO_EVIDENCE, type Cure, type Seen } from '@metronomo/core';
import { factsOf } from '../../store/gear';
import { boathouse } from '../../store/boathouse';
import { planOf } from '../../store/rig-plan';
import { changedSince } from '../../align/changed-since';
import { checklistWords } from './checklist-words';
import { placesOf } from './sync-places';
import { cureWords, wordsFor } from './finding-words';
import type { Take, TakeLine } from '../../store/records';

const nameOf = (id: string) => ({ a: 'Porch', b: 'Tide', hub: 'the hub' })[id] ?? id;
const traffic = { bytesPerSecond: 78, load: 0.025, worstWaitMs: 9.6 };

const EVERY_RULE: Seen[] = [
  { rule: 'nobody leads' },
  { rule: 'two lead', others: ['b'] },
  { rule: 'loop', through: ['b'] },
  { rule: 'set to internal' },
  { rule: 'cannot lead' },
  { rule: 'does not speak', language: 'clock', speaks: ['timecode'] },
  { rule: 'other frame rate', sent: '24', knows: ['25', '30'] },
  { rule: 'waits for the other', portId: 'p', waitsFor: 'clock', arrives: 'timecode' },
  { rule: 'nothing arrives', cause: 'silent' },
  { rule: 'old tempo' },
  { rule: 'port in use', portId: 'p', by: 'another app' },
  { rule: 'port in use', portId: 'p', by: 'cables' },
  { rule: 'too many destinations', has: 3, can: 1 },
  { rule: 'same channel', channel: 2, others: ['b'] },
  { rule: 'long chain', thrus: 4 },
  { rule: 'ticks wait', cableId: 'c', traffic },
  { rule: 'offset twice', own: 12, unit: 'ms', inHubMs: -12 },
  { rule: 'start again' },
  { rule: 'shares a wire', portId: 'p', conflict: 'clock offset', others: ['b'] },
  { rule: 'cannot follow' },
  { rule: 'shares the leader’s wire', leaderId: 'b' },
  { rule: 'leader waits for clock' },
  { rule: 'route echoes', from: 'i', to: 'o', through: 'a' },
  { rule: 'no answer', cableId: 'c' },
  { rule: 'not measured' },
  { rule: 'stale', because: 'its offset has changed since then' },
];

test.each(EVERY_RULE)('$rule has a title, its meaning and what to do', (seen) => {
  const { title, text } = wordsFor(seen, 'a', nameOf);
  expect(title).toMatch(/^[A-Z0-9].{5,70}$/);
  expect(text).toMatch(/^[A-Z0-9].*\.$/s);
  if (!['nobody leads', 'waits for the other'].includes(seen.rule)) expect(title).toContain('Porch');
});

test('a finding about the hub starts with a capital', () => {
  expect(wordsFor({ rule: 'nothing arrives', cause: 'no cable' }, 'hub', nameOf).title).toBe(
    'The hub receives no sync',
  );
  expect(wordsFor({ rule: 'loop', through: [] }, 'hub', nameOf).title).toBe('MIDI loop at the hub');
});

test('every finding of the demo with a cure has a button label', () => {
  const cures = lineCheck(planOf(boathouse()), { ...NO_EVIDENCE, connectedPorts: null }).flatMap(({ cure }) =>
    cure ? [cure] : [],
  );
  expect(cures.length).toBeGreaterThan(6);
  for (const cure of cures) expect(cureWords(cure, nameOf)).toMatch(/^[A-Z].+/);
  const through: Cure = { kind: 'throughHub', gearId: 'a' };
  expect(cureWords(through, nameOf)).toBeNull();
});

test('device checklists use generic words', () => {
  const demo = boathouse();
  const withOwn = demo.gear.map((one) => (one.id === 'marsh' ? { ...one, offset: factsOf(one.kind).offset } : one));
  const rig = { ...demo, gear: withOwn };
  const plan = planOf(rig);
  const lines = rig.gear.flatMap((gear) =>
    checklist(plan, gear.id).map(({ item }) => checklistWords(item, placesOf(plan, gear))),
  );
  expect(new Set(lines)).toEqual(
    new Set([
      ...lines.filter((line) => line.startsWith('Receive channel: ')),
      'Clock source: external (MIDI), socket IN',
      'Clock source: external (MIDI), socket DIN in',
      'Clock source: external (MIDI), socket USB in',
      'Clock source: external (MIDI), from “Loopback”',
      'Clock source: external (MIDI), from “Network”',
      'Clock source: external (MIDI), from “Tablet cable”',
      'Receive clock: on',
      'Receive start and stop: on',
      'Receive song position: on',
      'Send clock: off',
      'MIDI timecode (MTC): on, 24 fps, socket IN',
      'Receive machine control (MMC): on, device ID 127 or “all”',
      'MIDI thru on OUT: off',
      'Device offset: 0 ms',
    ]),
  );
});

describe('conditions of a measurement that changed', () => {
  const rig = boathouse();
  const [porch] = rig.gear;
  const line = { gearId: 'porch', wiredTo: porch!.portId, ownOffset: 0 } as TakeLine;
  const take = {
    startedAt: 1000,
    source: 'live',
    input: 'Boathouse interface',
    inputSource: 'boathouse',
    bpm: 79.3,
  } as Take;
  const withPorch = (change: object) => ({ ...rig, gear: [{ ...porch!, ...change }, ...rig.gear.slice(1)] });
  test.each([
    ['nothing has changed', rig, line, null],
    [
      'another interface',
      { ...rig, input: { ...rig.input, sourceId: 'audio:x' } },
      line,
      /measured through Boathouse interface/,
    ],
    ['another port', withPorch({ portId: 'midi:x' }), line, /output port has changed/],
    ['its session, after the take', withPorch({ changedAt: 1001 }), line, /session or settings changed/],
    ['its session, before the take', withPorch({ changedAt: 999 }), line, null],
    ['its own offset', withPorch({ offset: { ...porch!.offset, own: 5 } }), line, /device offset has changed/],
    [
      'another tempo, with an offset in ticks',
      { ...withPorch({ offset: { ...porch!.offset, own: 2, unit: 'ticks' as const } }), bpm: 120 },
      { ...line, ownOffset: 2 },
      /tempo was 79.3 BPM, and the device offset is in ticks/,
    ],
    ['a take from before this was kept', rig, { gearId: 'porch' } as TakeLine, null],
  ])('%s', (_, now, measured, words) => {
    const changed = changedSince(take, measured, now);
    if (words === null) expect(changed).toBeNull();
    else expect(changed).toMatch(words);
  });
});
