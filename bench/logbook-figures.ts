import { By } from 'selenium-webdriver';
import { openBrowser } from '../e2e/browser';
import { put, stored } from '../e2e/page-stand-ins';
import { WATCH_SCREEN } from './page-figures';
import type { Figure } from './figures';

const TAKES = 5000;
const SCROLL_MS = 4000;
/** A frame longer than two frame periods at 60 Hz is visible. */
const SEEN_MS = 34;

interface Screen {
  frames: number[];
  tasks: number[];
}

/** The Logbook with thousands of takes: time to list, scrolling, filtering; compared with a plain table of all. */
export async function logbookFigures(): Promise<Figure[]> {
  const page = await openBrowser();
  try {
    await page.open('/bench');
    await page.press('Record take M');
    await page.sees('95% interval', 60_000);
    const [take] = await stored<{ id: string; startedAt: number; frames: number }>(page.driver, 'takes');
    await fill(page, take ?? {});
    const openMs = await timed(page, `location.href = '/logbook'`, `${TAKES + 1} entries`);
    await page.driver.executeScript(WATCH_SCREEN);
    const scrolled = await page.driver.executeAsyncScript<Screen>(
      `const done = arguments[arguments.length - 1];
       const list = document.querySelector('[aria-label=Entries]');
       const from = performance.now();
       window.screen_.frames.length = 0;
       window.screen_.tasks.length = 0;
       const step = (now) => {
         list.scrollTop = ((now - from) / ${SCROLL_MS}) * list.scrollHeight;
         if (now - from < ${SCROLL_MS}) requestAnimationFrame(step); else done(window.screen_);
       };
       requestAnimationFrame(step);`,
    );
    scrolled.frames.sort((a, b) => a - b);
    const p95 = scrolled.frames[Math.floor(scrolled.frames.length * 0.95)] ?? NaN;
    const stutters = scrolled.frames.filter((ms) => ms > SEEN_MS).length;
    const gearMs = await timed(page, chooseScript('Tide sampler'), `of ${TAKES + 1} entries`);
    const allMs = await timed(page, chooseScript('all gear'), new RegExp(`(^|\\s)${TAKES + 1} entries`));
    const plainMs = await page.driver.executeAsyncScript<number>(PLAIN_TABLE);
    return [
      {
        what: `${TAKES} takes in the logbook: from opening the page until they are listed`,
        ours: `${openMs.toFixed(0)} ms`,
        beside: `a plain table of all of them, from the store to the screen: ${plainMs.toFixed(0)} ms, in which nothing else is drawn`,
      },
      {
        what: `${TAKES} takes, scrolled from end to end in ${SCROLL_MS / 1000} s`,
        ours: `frames ${p95.toFixed(1)} ms at p95, ${stutters} of ${scrolled.frames.length} over ${SEEN_MS} ms`,
        beside: `tasks over 50 ms: ${scrolled.tasks.length}`,
      },
      {
        what: `${TAKES} takes, filtered by gear, and all again`,
        ours: `${gearMs.toFixed(0)} and ${allMs.toFixed(0)} ms`,
        beside: '',
      },
    ];
  } finally {
    await page.close();
  }
}

/** Copies of one take, an hour apart; every other one has only two followers. */
async function fill(page: Awaited<ReturnType<typeof openBrowser>>, take: object): Promise<void> {
  await put(page.driver, 'takes', take);
  await page.driver.executeAsyncScript(
    `const [take, count, done] = arguments;
     const open = indexedDB.open('metronomo-demo');
     open.onsuccess = () => {
       const change = open.result.transaction('takes', 'readwrite');
       for (let i = 1; i < count; i++) {
         const lines = i % 2 ? take.lines : take.lines.filter(({ gearId }) => gearId === 'porch' || gearId === 'otter');
         change.objectStore('takes').put({
           ...take, id: 'filled-' + i, startedAt: take.startedAt - i * 3600e3, lines, frames: 0,
           kind: i % 5 ? 'take' : 'proof', proof: i % 5 === 0, gearIds: lines.map(({ gearId }) => gearId),
         });
       }
       change.oncomplete = () => { open.result.close(); done(); };
     };`,
    take,
    TAKES,
  );
  await put(page.driver, 'events', {
    ...{
      id: 'one',
      rigId: 'boathouse',
      at: Date.now(),
      kind: 'data',
      gearIds: [],
      lines: ['Filled for the benchmark.'],
    },
  });
}

const chooseScript = (option: string) => `
  const select = document.querySelector('select[aria-label=Gear]');
  const value = [...select.options].find(({ text }) => text === '${option}').value;
  Object.getOwnPropertyDescriptor(HTMLSelectElement.prototype, 'value').set.call(select, value);
  select.dispatchEvent(new Event('change', { bubbles: true }));`;

/** Time until the page shows it, by the page's own clock. */
async function timed(
  page: Awaited<ReturnType<typeof openBrowser>>,
  act: string,
  shows: string | RegExp,
): Promise<number> {
  const beganMs = Date.now();
  await page.driver.findElement(By.css('body'));
  await page.driver.executeScript(act);
  await page.sees(shows, 60_000);
  return Date.now() - beganMs;
}

const PLAIN_TABLE = `
  const done = arguments[arguments.length - 1];
  const from = performance.now();
  const open = indexedDB.open('metronomo-demo');
  open.onsuccess = () => {
    const all = open.result.transaction('takes').objectStore('takes').getAll();
    all.onsuccess = () => {
      open.result.close();
      const table = document.createElement('table');
      for (const { startedAt, lines } of all.result) {
        const row = table.insertRow();
        row.insertCell().textContent = new Date(startedAt).toLocaleString();
        row.insertCell().textContent = lines.map(({ name, report }) => name + ' ' + report?.medianMs).join(' ');
      }
      document.body.append(table);
      table.getBoundingClientRect();
      requestAnimationFrame(() => { table.remove(); done(performance.now() - from); });
    };
  };`;
