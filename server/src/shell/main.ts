import { readFileSync, statSync } from 'node:fs';
import { parseArgs } from 'node:util';
import { InputError, measureFile, wordsFor } from './measure';

const USAGE =
  'Usage: npm run -s measure -- recording.wav [--click 1] [--gear 2,3] [--bpm 120 | --tempo-map song.mid] [--first-beat 1.25] [--json]. "-" reads from a pipe.';
const MOST_BYTES = 2 ** 31;
const [RELIABLE, BAD_INPUT, NOT_RELIABLE] = [0, 1, 2];

process.exitCode = run();

function run(): number {
  try {
    const { values, positionals } = parseArgs({
      allowPositionals: true,
      options: {
        click: { type: 'string' },
        gear: { type: 'string' },
        bpm: { type: 'string' },
        'tempo-map': { type: 'string' },
        'first-beat': { type: 'string', default: '0' },
        json: { type: 'boolean', default: false },
      },
    });
    const [path, ...others] = positionals;
    if (path === undefined || others.length > 0) throw new InputError(USAGE);
    const measured = measureFile(read(path), {
      click: numberFrom(values.click),
      gear: values.gear?.split(',').map(Number),
      bpm: numberFrom(values.bpm),
      tempoMap: values['tempo-map'] === undefined ? undefined : read(values['tempo-map']),
      firstBeat: Number(values['first-beat']),
    });
    process.stdout.write(
      values.json ? `${JSON.stringify({ channels: measured })}\n` : `${measured.map(wordsFor).join('\n')}\n`,
    );
    return measured.every(({ reliable }) => reliable) ? RELIABLE : NOT_RELIABLE;
  } catch (error) {
    // A file that isn't there and an option that doesn't exist are bad input as well.
    if (!(error instanceof InputError || (error instanceof Error && 'code' in error))) throw error;
    process.stderr.write(`${error.message}\n`);
    return BAD_INPUT;
  }
}

function numberFrom(text: string | undefined): number | undefined {
  return text === undefined ? undefined : Number(text);
}

function read(path: string): Uint8Array {
  if (path !== '-' && statSync(path).size > MOST_BYTES)
    throw new InputError('This file is larger than 2 GB. Cut it into shorter recordings.');
  return readFileSync(path === '-' ? 0 : path);
}
