import { fork } from 'node:child_process';
import { availableParallelism } from 'node:os';
import { parseArgs } from 'node:util';
import { adversary, followerAlone, judge, verdictOn } from '../core/src/testing/adversaries';
import { playEvening, type FailedEvening } from '../core/src/testing/play-evening';

/**
 * Plays any number of random evenings on all cores: `npm run soak -- --evenings 100000`. Prints the seed, the smallest
 * studio and the shortest list of happenings of those that fail; `--seed 353` plays that evening again.
 * `--adversaries 100000` plays clocks with troubles to the follower, at both responses.
 */
const { values } = parseArgs({
  options: {
    evenings: { type: 'string', default: '1000' },
    from: { type: 'string', default: '1' },
    seed: { type: 'string' },
    adversaries: { type: 'string' },
    /** The share of one process: every n-th seed, up to a last one. */
    every: { type: 'string' },
    until: { type: 'string' },
  },
});
const MAX_FAILED = 10;
const TOLD_EVERY = 100;

interface Told {
  played: number;
  failed: FailedEvening[];
}

if (values.adversaries !== undefined) playAdversaries(Number(values.from), Number(values.adversaries));
else if (values.seed !== undefined) {
  const failed = playEvening(Number(values.seed));
  console.log(failed ? wordsFor(failed) : `Evening ${values.seed}: no violation.`);
  process.exitCode = failed ? 1 : 0;
} else if (values.every !== undefined) playShare(Number(values.from), Number(values.until), Number(values.every));
else await playAll(Number(values.from), Number(values.evenings));

function playShare(from: number, until: number, every: number): void {
  let told: Told = { played: 0, failed: [] };
  const tell = () => {
    process.send?.(told);
    told = { played: 0, failed: [] };
  };
  for (let seed = from; seed < until; seed += every) {
    const failed = playEvening(seed);
    told.played++;
    if (failed) told.failed.push(failed);
    if (failed || told.played === TOLD_EVERY) tell();
  }
  tell();
}

async function playAll(from: number, evenings: number): Promise<void> {
  const beganMs = Date.now();
  const workers = availableParallelism();
  let played = 0;
  let failed = 0;
  const children = Array.from({ length: workers }, (_, i) =>
    fork(process.argv[1] ?? '', [
      ...['--from', `${from + i}`, '--until', `${from + evenings}`, '--every', `${workers}`],
    ]),
  );
  const ended = children.map(
    (child) =>
      new Promise<void>((resolve) => {
        child.on('message', (told: Told) => {
          played += told.played;
          failed += told.failed.length;
          for (const one of told.failed) console.log(wordsFor(one));
          const seconds = (Date.now() - beganMs) / 1000;
          if (told.failed.length > 0 || played % 2500 < TOLD_EVERY)
            console.log(`${played} of ${evenings} evenings in ${seconds.toFixed(0)} s, ${failed} with a violation`);
          if (failed >= MAX_FAILED) for (const other of children) other.kill();
        });
        child.once('exit', () => resolve());
      }),
  );
  await Promise.all(ended);
  const seconds = (Date.now() - beganMs) / 1000;
  console.log(`${played} evenings in ${seconds.toFixed(0)} s, ${failed} with a violation.`);
  process.exitCode = failed > 0 || played < evenings ? 1 : 0;
}

function playAdversaries(from: number, count: number): void {
  const counts = { right: 0, wrong: 0, 'needlessly unsure': 0, undecidable: 0 };
  for (let seed = from; seed < from + count; seed++)
    for (const response of ['steady', 'quick'] as const) {
      const enemy = adversary(seed);
      const verdict = verdictOn(enemy, followerAlone(response));
      const judged = judge(verdict);
      counts[judged]++;
      if (verdict.undecidable) counts.undecidable++;
      if (judged === 'wrong') console.log(`${seed} ${response}: ${verdict.worst.toFixed(2)} ticks off`, enemy.troubles);
      if (seed % 5000 === 0 && response === 'quick') console.log(seed - from + 1, counts);
    }
  console.log(counts);
  process.exitCode = counts.wrong > 0 ? 1 : 0;
}

function wordsFor({ seed, fault, studio, happenings }: FailedEvening): string {
  return `Evening ${seed}: ${fault}\n${studio}\n${happenings}\nPlay it again: npm run soak -- --seed ${seed}\n`;
}
