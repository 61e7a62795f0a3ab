import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import type { AnyStateMachine } from 'xstate';
import { alignAll } from './align-all';
import { collecting } from './collecting';
import { drawMachine } from './draw';
import { measurement } from './measurement';
import { recording } from './recording';
import { starts } from './starts';
import { untilKnown } from './until-known';

const DOCUMENT = join(__dirname, '../../../docs/flows.md');

const CHAPTERS: [string, AnyStateMachine, string][] = [
  [
    'Measurement',
    measurement,
    'The frame around every measurement. It prepares the studio, captures, analyzes, and always puts the studio back. `passOnEnd` and `passOnLoss` go to the machine that captures.',
  ],
  [
    'Recording',
    recording,
    'Captures a take, a take in turn, a calibration and a tempo test: audio over a stretch that the hub names. On a shared input, `untilNextTurn` passes the turn to the next device.',
  ],
  ['Repeated starts', starts, 'Captures a chase: the song starts from the top several times while audio is recorded.'],
  [
    'Collecting',
    collecting,
    'Captures a drift run, a clock, a network link, a MIDI loop and a line test: looks again and again for what has arrived. After END or LOST, one last look keeps what there is.',
  ],
  ['Until known', untilKnown, 'Repeats takes, longer each time, until every interval is narrow enough.'],
  ['Align all', alignAll, 'Measures, applies and confirms the offsets of all followers.'],
];

const HEAD = `# Flows

Every flow is one of these state machines; \`web/src/flows/\` holds them, without storage, workers or browser, and
\`web/src/flow-effects/\` carries out what they ask for. A state names its effect in brackets. END is the musician who
finishes early, LOST an input, a port, a worker or the hub's motion that is gone.

This page is drawn from the machines. After a change, draw it again with \`DRAW_FLOWS=yes npx jest draw\`.
`;

test('docs/flows.md shows the machines as they are', () => {
  const drawn = CHAPTERS.map(
    ([name, machine, words]) => `\n## ${name}\n\n${words}\n\n\`\`\`mermaid\n${drawMachine(machine)}\n\`\`\`\n`,
  );
  const page = [HEAD, ...drawn].join('');
  if (process.env.DRAW_FLOWS) writeFileSync(DOCUMENT, page);
  expect(readFileSync(DOCUMENT, 'utf8')).toBe(page);
});
