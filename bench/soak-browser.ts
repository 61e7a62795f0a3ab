import { parseArgs } from 'node:util';
import { By } from 'selenium-webdriver';
import type { Driver } from 'selenium-webdriver/chrome';
import { seededRandom, type SeededRandom } from '../core/src/standin/random';
import { openBrowser, type Page } from '../e2e/browser';
import { DevTools } from '../e2e/dev-tools';
import { withLoop, withMidi } from '../e2e/page-stand-ins';
import { openBoxes } from './boxes';
import { MachineWatch } from '../e2e/machine';

/**
 * The real interface plays to eight followers and records a take every few minutes: `npm run soak:browser -- --minutes 60`.
 * At seeded moments the page is hidden, slowed down, cut off from its server, or out of disk space; `--calm` leaves it in
 * peace. Prints late messages, memory, listeners and open MIDI and audio streams.
 */
const { values } = parseArgs({
  options: {
    minutes: { type: 'string', default: '10' },
    'take-every': { type: 'string', default: '5' },
    seed: { type: 'string', default: '1' },
    calm: { type: 'boolean', default: false },
    /** The page is covered by another tab all the time but for the takes. */
    hidden: { type: 'boolean', default: false },
  },
});
const FOLLOWERS = 8;
const MINUTE_MS = 60_000;
const LOOK_MS = 30_000;
const READINGS = 6;
const MOST_KINDS = 12;
/** A late message within this time after a stall of the machine is explained by it. */
const STALL_BEFORE_MS = 500;
const CABLE_MS = 4.5;
const LATENCY_MS = 23.25;
/** Just opened, the app still loads views, and the lookahead hasn't learned this machine. */
const SETTLE_MS = 60_000;

interface Trouble {
  name: string;
  lastsMs: number;
  begin(page: Page): Promise<void>;
  end(page: Page): Promise<void>;
}

const tools = (page: Page) => page.driver as unknown as Driver;
const offline = (page: Page, is: boolean) =>
  tools(page).sendDevToolsCommand('Network.emulateNetworkConditions', {
    offline: is,
    latency: 0,
    downloadThroughput: -1,
    uploadThroughput: -1,
  });
const slower = (page: Page, rate: number) =>
  tools(page).sendDevToolsCommand('Emulation.setCPUThrottlingRate', { rate });

let pageTab = '';
async function hide({ driver }: Page): Promise<void> {
  pageTab = await driver.getWindowHandle();
  await driver.switchTo().newWindow('tab');
}
async function show({ driver }: Page): Promise<void> {
  await driver.close();
  await driver.switchTo().window(pageTab);
}

const TROUBLES: Trouble[] = [
  { name: 'hidden', lastsMs: 20_000, begin: hide, end: show },
  { name: '4 times slower', lastsMs: 10_000, begin: (page) => slower(page, 4), end: (page) => slower(page, 1) },
  { name: 'server cut', lastsMs: 15_000, begin: (page) => offline(page, true), end: (page) => offline(page, false) },
  {
    name: 'disk full',
    lastsMs: 45_000,
    begin: (page) =>
      tools(page).sendDevToolsCommand('Storage.overrideQuotaForOrigin', { origin: page.url, quotaSize: 1000 }),
    end: (page) => tools(page).sendDevToolsCommand('Storage.overrideQuotaForOrigin', { origin: page.url }),
  },
];

const delay = (ms: number) => new Promise((resolve) => setTimeout(resolve, Math.max(0, ms)));
const beganMs = Date.now();
const minutesSince = (atMs: number) => `${((atMs - beganMs) / MINUTE_MS).toFixed(2).padStart(6)} min`;
const since = () => minutesSince(Date.now());

const page = await openBrowser();
try {
  await soak(page, Number(values.minutes) * MINUTE_MS, seededRandom(Math.imul(Number(values.seed), 0x9e3779b1)));
} finally {
  await page.close();
}

async function soak(page: Page, lastsMs: number, random: SeededRandom): Promise<void> {
  await withMidi(page.driver, { outputs: FOLLOWERS });
  await withLoop(page.driver, { cableMs: CABLE_MS, latencyMs: LATENCY_MS });
  await openBoxes(page, { count: FOLLOWERS, bpm: 120, returnChannel: 1 });
  await page.go('rig');
  await page.press('Ports');
  await page.driver
    .findElement(By.xpath('//option[normalize-space()="system default input"]'))
    .then((one) => one.click());
  await page.sees('2 channels');
  await page.go('run');
  await page.press('Play');
  await page.sees('playing');
  await delay(SETTLE_MS);
  const inside = await DevTools.open(page.driver);
  const machine = new MachineWatch();
  await takeOne(page);
  const first = await memory(page, inside);
  const kinds = await uncounted(page, () => inside.heapByKind());
  const everyMs = Number(values['take-every']) * MINUTE_MS;
  const endMs = Date.now() + lastsMs;
  let takeMs = Date.now() + everyMs;
  let troubleMs = Date.now() + 20_000;
  if (values.hidden) await hide(page);
  while (Date.now() < endMs) {
    if (Date.now() >= takeMs) {
      takeMs += everyMs;
      if (values.hidden) await show(page);
      await takeOne(page);
      await memory(page, inside);
      if (values.hidden) await hide(page);
    } else if (!values.calm && !values.hidden && Date.now() >= troubleMs) {
      const trouble = TROUBLES[Math.floor(random.uniform() * TROUBLES.length)] ?? TROUBLES[0];
      if (!trouble) continue;
      console.log(`${since()}  ${trouble.name}`);
      await trouble.begin(page);
      await delay(trouble.lastsMs);
      await trouble.end(page);
      troubleMs = Date.now() + 20_000 + 40_000 * random.uniform();
    } else await delay(Math.min(LOOK_MS, endMs - Date.now(), takeMs - Date.now()));
    if (!values.hidden) await look(page);
  }
  if (values.hidden) await show(page);
  const late = await look(page);
  const last = await memory(page, inside);
  machine.end();
  const lateAtMs = await page.driver.executeScript<number[]>('return standIn.counted.lateAtMs');
  const unexplained = lateAtMs.filter((atMs) => machine.calm(atMs - STALL_BEFORE_MS, atMs));
  const more = [...(await inside.heapByKind())].map(([kind, bytes]) => ({
    kind,
    bytes: bytes - (kinds.get(kind) ?? 0),
  }));
  const most = more.sort((a, b) => b.bytes - a.bytes).slice(0, MOST_KINDS);
  console.log(`Page, by kind: ${most.map(({ kind, bytes }) => `${kind} ${(bytes / 1000).toFixed(0)}`).join(', ')} kB`);
  const grown = Object.entries(last).map(([name, bytes]) => `${name} ${mega(bytes - (first[name] ?? 0))}`);
  console.log(
    `Heap growth: ${grown.join(', ')} MB. Late: ${late.late} of ${late.all}, ${late.latestMs.toFixed(0)} ms the latest; ${unexplained.length} of them while the machine was calm.`,
  );
  const when = new Set(unexplained.map(minutesSince));
  if (when.size > 0) console.log(`Unexplained at ${[...when].join(', ')}`);
  console.log(`Meanwhile ${machine.report}.`);
  console.log(`Console: ${JSON.stringify((await page.warnings()).slice(0, 5))}`);
  inside.close();
}

/** A take of the first follower; one that fails is reported, and the next is tried. */
async function takeOne(page: Page): Promise<void> {
  await pressed(page, 'a[href="/bench"]');
  const before = (await newestTake(page))?.startedAt ?? 0;
  try {
    await pressed(page, 'button', 'Record take');
    const isDone = async () => {
      const { startedAt, status } = (await newestTake(page)) ?? {};
      return startedAt !== undefined && startedAt > before && status !== 'recording';
    };
    await page.driver.wait(isDone, 90_000, 'no take', 1000);
    const newest = await newestTake(page);
    console.log(`${since()}  take: ${newest?.status}, ${newest?.medianMs?.toFixed(2) ?? 'no'} ms`);
  } catch (error) {
    console.log(`${since()}  take failed: ${String(error).split('\n')[0]}`);
  }
  await pressed(page, 'a[href="/run"]');
}

interface Told {
  startedAt: number;
  status: string;
  medianMs: number | null;
}

/** Only what is needed: the driver leaves whatever it was told in the page's memory. */
function newestTake(page: Page): Promise<Told | null> {
  return page.driver.executeAsyncScript<Told | null>(
    `const done = arguments[arguments.length - 1];
     const open = indexedDB.open('metronomo');
     open.onsuccess = () => {
       const rows = open.result.transaction('takes').objectStore('takes').getAll();
       rows.onsuccess = () => {
         open.result.close();
         const [newest] = rows.result.sort((a, b) => b.startedAt - a.startedAt);
         if (!newest) return done(null);
         const { startedAt, status, lines } = newest;
         done({ startedAt, status, medianMs: lines[0]?.report?.medianMs ?? null });
       };
     };`,
  );
}

/**
 * Presses an element without the driver knowing it: the driver keeps every element that it ever found, with all that
 * hangs on it, which would look like a leak of the page.
 */
async function pressed(page: Page, selector: string, text = ''): Promise<void> {
  const press = `const found = [...document.querySelectorAll(arguments[0])].find(
      (one) => one.textContent.trim().startsWith(arguments[1]) && !one.disabled);
    found?.click();
    return found !== undefined;`;
  await page.driver.wait(
    () => page.driver.executeScript<boolean>(press, selector, text),
    30_000,
    `no ${selector} ${text}`,
    200,
  );
}

interface Counted {
  all: number;
  late: number;
  latestMs: number;
}

/** Without the times of those that were late: the driver leaves whatever it was told in the page's memory. */
async function look(page: Page): Promise<Counted> {
  const counted = await page.driver.executeScript<Counted>(
    'const { all, late, latestMs } = standIn.counted; return { all, late, latestMs };',
  );
  console.log(`${since()}  late ${counted.late} of ${counted.all}, ${counted.latestMs.toFixed(0)} ms the latest`);
  return counted;
}

/** Collecting garbage for a reading holds all threads: what is late meanwhile doesn't count. */
async function uncounted<T>(page: Page, reading: () => Promise<T>): Promise<T> {
  await page.driver.executeScript('window.before_ = structuredClone(standIn.counted)');
  const read = await reading();
  await delay(1000);
  await page.driver.executeScript('Object.assign(standIn.counted, window.before_)');
  return read;
}

function memory(page: Page, inside: DevTools): Promise<Record<string, number>> {
  return uncounted(page, () => heapsOf(inside));
}

async function heapsOf(inside: DevTools): Promise<Record<string, number>> {
  // The page goes on playing, so a reading includes what it allocated since: the lowest of several is what it holds.
  let heaps = await inside.heaps();
  for (let i = 1; i < READINGS; i++) {
    await delay(500);
    const again = await inside.heaps();
    heaps = Object.fromEntries(
      Object.entries(heaps).map(([name, bytes]) => [name, Math.min(bytes, again[name] ?? bytes)]),
    );
  }
  const { nodes, jsEventListeners } = await inside.counters();
  const bytes = Object.entries(heaps).map(([name, used]) => `${name} ${mega(used)}`);
  console.log(`${since()}  heap MB: ${bytes.join(', ')}; ${nodes} nodes, ${jsEventListeners} listeners`);
  return heaps;
}

function mega(bytes: number): string {
  return (bytes / 1e6).toFixed(2);
}
