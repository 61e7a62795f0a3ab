import type { Driver } from 'selenium-webdriver/chrome';
import { openBrowser, type Page } from '../e2e/browser';
import type { Figure } from './figures';

const SETTLE_MS = 60_000;

/**
 * The demo playing for a number of minutes: the page's memory after the first one and at the end, each after a
 * collection.
 */
export async function memoryFigures(minutes: number): Promise<Figure[]> {
  const page = await openBrowser();
  try {
    await page.open('/run');
    await page.press('Play');
    await page.sees(/11 of 11\s+locked/, 60_000);
    await delay(SETTLE_MS);
    const first = await heapMb(page);
    await delay(minutes * 60_000);
    const last = await heapMb(page);
    const text = await page.sees('playing');
    return [
      {
        what: `Memory of the page over ${minutes} min of the demo rolling, all eleven heard`,
        ours: `${first.toFixed(1)} MB after a minute, ${last.toFixed(1)} MB at the end`,
        beside: `${/(\d+) late messages/.exec(text)?.[1] ?? '?'} late messages meanwhile`,
      },
    ];
  } finally {
    await page.close();
  }
}

async function heapMb(page: Page): Promise<number> {
  const driver = page.driver as Driver;
  await driver.sendDevToolsCommand('HeapProfiler.enable', {});
  await driver.sendDevToolsCommand('HeapProfiler.collectGarbage', {});
  await driver.sendDevToolsCommand('Performance.enable', {});
  const answer = (await driver.sendAndGetDevToolsCommand('Performance.getMetrics', {})) as unknown as {
    metrics: { name: string; value: number }[];
  };
  return (answer.metrics.find(({ name }) => name === 'JSHeapUsedSize')?.value ?? NaN) / 2 ** 20;
}

function delay(ms: number): Promise<void> {
  return new Promise((resolve) => setTimeout(resolve, ms));
}
