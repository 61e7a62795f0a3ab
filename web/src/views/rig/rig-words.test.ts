import { checklist, lineCheck, NO_EVIDENCE, type Cure, type Seen } from '@metronomo/core';
import { factsOf } from '../../store/gear';
import { boathouse } from '../../store/boathouse';
import { planOf } from '../../store/rig-plan';
import { changedSince } from '../../align/changed-since';
import { checklistWords } from './checklist-words';
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
  { rule: 'port in use', portId: 'p' },
  { rule: 'too many destinations', has: 3, can: 1 },
  { rule: 'same channel', channel: 2, others: ['b'] },
  { rule: 'long chain', thrus: 4 },
  { rule: 'ticks wait', cableId: 'c', traffic },
  { rule: 'offset twice', own: 12, inHubMs: -12 },
  { rule: 'start again' },
  { rule: 'route echoes', from: 'i', to: 'o', through: 'a' },
  { rule: 'no answer', cableId: 'c' },
  { rule: 'not measured' },
  { rule: 'stale', because: 'its offset was changed since' },
];

test.each(EVERY_RULE)('$rule is told as a sentence with what it means and what to do', (seen) => {
  const { title, text } = wordsFor(seen, 'a', nameOf);
  expect(title).toMatch(/^[A-Z0-9].{5,70}$/);
  expect(text).toMatch(/^[A-Z0-9].*\.$/s);
  if (!['nobody leads', 'waits for the other'].includes(seen.rule)) expect(title).toContain('Porch');
});

test('a problem of the hub begins with a capital and goes on without', () => {
  expect(wordsFor({ rule: 'nothing arrives', cause: 'no cable' }, 'hub', nameOf).title).toBe('The hub hears nothing');
  expect(wordsFor({ rule: 'loop', through: [] }, 'hub', nameOf).title).toBe('The clock of the hub comes back to it');
});

test('every finding of the demo that a button can cure says what the button does', () => {
  const cures = lineCheck(planOf(boathouse()), { ...NO_EVIDENCE, portsHere: null }).flatMap(({ cure }) =>
    cure ? [cure] : [],
  );
  expect(cures.length).toBeGreaterThan(6);
  for (const cure of cures) expect(cureWords(cure, nameOf)).toMatch(/^[A-Z].+/);
  const through: Cure = { kind: 'throughHub', gearId: 'a' };
  expect(cureWords(through, nameOf)).toBeNull();
});

test('what to set on each box is said in general words', () => {
  const demo = boathouse();
  const withOwn = demo.gear.map((one) => (one.id === 'marsh' ? { ...one, offset: factsOf(one.kind).offset } : one));
  const rig = { ...demo, gear: withOwn };
  const lines = rig.gear.flatMap(({ id }) => checklist(planOf(rig), id).map(({ item }) => checklistWords(item)));
  expect(new Set(lines)).toEqual(
    new Set([
      ...lines.filter((line) => line.startsWith('Receive channel: ')),
      'Clock source: external, or MIDI',
      'Receive MIDI clock: on',
      'Receive start and stop: on',
      'Receive song position: on',
      'Send MIDI clock: off',
      'Sync: MIDI timecode, 24 frames a second',
      'Receive machine control (MMC): on, device number 127 or “all”',
      'Thru at its out, or echo back: off',
      'Its own offset: 0 ms',
    ]),
  );
});

describe('what a measurement no longer holds for', () => {
  const rig = boathouse();
  const [porch] = rig.gear;
  const line = { gearId: 'porch', wiredTo: porch!.portId, ownOffset: 0 } as TakeLine;
  const take = { source: 'live', input: 'Boathouse interface', inputSource: 'boathouse', bpm: 79.3 } as Take;
  const withPorch = (change: object) => ({ ...rig, gear: [{ ...porch!, ...change }, ...rig.gear.slice(1)] });
  test.each([
    ['nothing has changed', rig, line, null],
    [
      'another interface',
      { ...rig, input: { ...rig.input, sourceId: 'audio:x' } },
      line,
      /came in by Boathouse interface/,
    ],
    ['another port', withPorch({ portId: 'midi:x' }), line, /another port/],
    ['its own offset', withPorch({ offset: { ...porch!.offset, own: 5 } }), line, /its own menu was changed/],
    [
      'another tempo, with an offset in ticks',
      { ...withPorch({ offset: { ...porch!.offset, own: 2, unit: 'ticks' as const } }), bpm: 120 },
      { ...line, ownOffset: 2 },
      /in ticks, and the tempo was 79.3/,
    ],
    ['a take from before this was kept', rig, { gearId: 'porch' } as TakeLine, null],
  ])('%s', (_, now, measured, words) => {
    const changed = changedSince(take, measured, now);
    if (words === null) expect(changed).toBeNull();
    else expect(changed).toMatch(words);
  });
});
