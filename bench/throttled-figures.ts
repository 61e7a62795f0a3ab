import type { Driver } from 'selenium-webdriver/chrome';
import { openBrowser, type Page } from '../e2e/browser';
import type { Figure } from './figures';
import { MachineWatch } from '../e2e/machine';
import { WATCH_SCREEN } from './page-figures';

const SLOWER = 4;
const SETTLE_MS = 5000;
/** Less than a take of eight bars lasts. */
const MEASURE_MS = 15_000;

/** A task asked for every 10 ms: how long the main thread makes it wait. */
const WATCH_WAITS = `
  window.waits_ = [];
  const channel = new MessageChannel();
  channel.port2.onmessage = ({ data }) => window.waits_.push(performance.now() - data);
  setInterval(() => channel.port1.postMessage(performance.now()), 10);`;

/** What the main thread of a slow computer has left while the demo's followers play and a take records. */
export async function throttledFigures(): Promise<Figure[]> {
  const page = await openBrowser();
  try {
    await page.open('/bench');
    await page.driver.executeScript(WATCH_SCREEN);
    await page.driver.executeScript(WATCH_WAITS);
    await throttle(page, SLOWER);
    await page.press('Record take M');
    await page.sees(/Measuring: \d+ of/, 60_000);
    await new Promise((resolve) => setTimeout(resolve, SETTLE_MS));
    await page.driver.executeScript('window.waits_.length = 0; window.screen_.tasks.length = 0;');
    const machine = new MachineWatch();
    // While it records; what is shown afterwards is another matter.
    await new Promise((resolve) => setTimeout(resolve, MEASURE_MS));
    machine.end();
    const { waits, tasks } = await page.driver.executeScript<{ waits: number[]; tasks: number[] }>(
      'return { waits: window.waits_, tasks: window.screen_.tasks }',
    );
    waits.sort((a, b) => a - b);
    const at = (share: number) => (waits[Math.floor(waits.length * share)] ?? NaN).toFixed(1);
    return [
      {
        what: `Eleven followers play and a take records, processor ${SLOWER} times slower: how long the main thread lets a task wait`,
        ours: `${at(0.5)} ms the median, ${at(0.99)} ms at p99; ${tasks.length} tasks over 50 ms, ${Math.max(0, ...tasks).toFixed(0)} ms the longest`,
        beside: `${waits.length} tasks asked for; meanwhile ${machine.report}`,
      },
    ];
  } finally {
    await page.close();
  }
}

async function throttle({ driver }: Page, rate: number): Promise<void> {
  await (driver as Driver).sendDevToolsCommand('Emulation.setCPUThrottlingRate', { rate });
}
