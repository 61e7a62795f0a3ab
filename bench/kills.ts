import { mkdtempSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { parseArgs } from 'node:util';
import { seededRandom } from '../core/src/standin/random';
import { openBrowser, type Page } from '../e2e/browser';
import { DevTools } from '../e2e/dev-tools';
import { soundSeconds, stored, withMortalWorkers } from '../e2e/page-stand-ins';

/**
 * Something is killed in the middle of a take, again and again: `npm run kills -- --count 100 --seed 1`. What was
 * captured until a second before has to be there, and the next take has to run.
 */
const { values } = parseArgs({
  options: {
    count: { type: 'string', default: '20' },
    seed: { type: 'string', default: '1' },
    /** One kind of kill, by its name below. */
    only: { type: 'string' },
  },
});

interface StoredTake {
  id: string;
  startedAt: number;
  status: string;
  ending?: string;
  lines: { report: unknown; problem?: string }[];
}

type Kill = (page: Page) => Promise<void>;
const KILLS: Record<string, Kill> = {
  tab: async (page) => void (await page.crash('0')),
  hub: (page) => page.driver.executeScript('workers.hub.terminate()'),
  analyzer: (page) => page.driver.executeScript('workers.measure.terminate()'),
  'hub hangs': (page) => hang(page, 'hub'),
  'analyzer hangs': (page) => hang(page, 'measure'),
  server: (page) => page.loseServer(),
  browser: (page) => page.kill(),
};
const ENDS_PAGE = new Set(['tab', 'browser']);
/** A hung hub is noticed after two seconds and half a heartbeat; what it didn't deliver meanwhile was never captured. */
const LONGEST_LOSS_S = { 'hub hangs': 4, 'analyzer hangs': 4 } as Record<string, number>;

const profile = mkdtempSync(join(tmpdir(), 'metronomo-kills-'));
const random = seededRandom(Math.imul(Number(values.seed), 0x9e3779b1));
const counts = new Map<string, number>();
let failures = 0;
let worstLossS = 0;
let slowestMs = 0;
let port = 0;
let page = await openPage();

for (let i = 1; i <= Number(values.count); i++) {
  const names = values.only === undefined ? Object.keys(KILLS) : [values.only];
  const name = names[Math.floor(names.length * random.uniform())] ?? 'tab';
  const atS = 1.5 + 8 * random.uniform();
  try {
    const lossS = await killDuringTake(name, atS);
    if (!(name in LONGEST_LOSS_S)) worstLossS = Math.max(worstLossS, lossS);
    if (lossS > (LONGEST_LOSS_S[name] ?? 1)) throw new Error(`${lossS.toFixed(2)} s of the take are lost.`);
    console.log(`${i}: ${name} after ${atS.toFixed(1)} s: ${lossS.toFixed(2)} s lost`);
    counts.set(name, (counts.get(name) ?? 0) + 1);
  } catch (error) {
    failures++;
    console.log(`${i}: ${name} after ${atS.toFixed(1)} s: ${String(error).slice(0, 600)}`);
    console.log(await whatItShows().catch(String));
    await page.kill().catch(() => undefined);
    page = await openPage();
  }
}
await page.close();
console.log(
  `${failures} of ${values.count} failed; ${[...counts].map(([name, times]) => `${times} × ${name}`).join(', ')}; at most ${worstLossS.toFixed(2)} s lost, the app was back after ${slowestMs.toFixed(0)} ms at most.`,
);
process.exitCode = failures > 0 ? 1 : 0;

async function openPage(): Promise<Page> {
  const opened = await openBrowser({ profile, port });
  port = Number(new URL(opened.url).port);
  await withMortalWorkers(opened.driver);
  await opened.open('/bench');
  return opened;
}

/** The newest take as it is stored, and the page. */
async function whatItShows(): Promise<string> {
  const newest = (await takes()).sort((a, b) => b.startedAt - a.startedAt)[0];
  const lines = newest?.lines.map(({ report, problem }) => (report ? 'measured' : (problem ?? 'nothing')));
  const complaints = (await page.complaints()).slice(-5).join('\n');
  return `${newest?.status} ${newest?.ending ?? ''} ${lines?.join(', ')}\n${await page.sees('')}\n${complaints}`;
}

/** Seconds of audio that were captured before the kill and aren't stored. */
async function killDuringTake(name: string, atS: number): Promise<number> {
  const before = new Set((await takes()).map(({ id }) => id));
  await page.press('Record take M');
  await page.sees(/Measuring: \d+ of/, 60_000);
  await new Promise((resolve) => setTimeout(resolve, 1000 * atS));
  const capturedS = await page.driver.executeScript<number>(
    `return Number(document.querySelector('[role=progressbar]')?.ariaValueNow ?? 0)`,
  );
  await KILLS[name]?.(page);
  const beganMs = performance.now();
  if (name === 'browser') page = await openPage();
  else if (ENDS_PAGE.has(name)) {
    await withMortalWorkers(page.driver);
    await page.open('/bench');
  } else if (name === 'server') await page.press('Finish early');
  const mine = async () => (await takes()).find(({ id }) => !before.has(id));
  await page.driver.wait(
    async () => {
      const take = await mine();
      return (
        take !== undefined &&
        take.status !== 'recording' &&
        take.lines.every(({ report, problem }) => report !== null || problem)
      );
    },
    90_000,
    'the take isn’t kept and analyzed',
  );
  await page.button('Record take M');
  slowestMs = Math.max(slowestMs, performance.now() - beganMs);
  if (name === 'server') await page.serveAgain();
  const take = await mine();
  return capturedS - (await soundSeconds(page.driver, take?.id ?? ''));
}

function takes(): Promise<StoredTake[]> {
  return stored<StoredTake>(page.driver, 'takes');
}

async function hang({ driver }: Page, worker: string): Promise<void> {
  const inside = await DevTools.open(driver);
  await inside.hang(worker);
  inside.close();
}
