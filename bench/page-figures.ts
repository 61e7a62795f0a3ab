import { mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { By } from 'selenium-webdriver';
import { writeWav } from '../core/src/files/wav';
import { openBrowser } from '../e2e/browser';
import { stored } from '../e2e/page-stand-ins';
import { noisyMinute } from './core-figures';
import { timesRealTime, type Figure } from './figures';

/** Records the page's frame intervals, and the duration of each task over 50 ms. */
export const WATCH_SCREEN = `
  window.screen_ = { frames: [], tasks: [], doneAt: NaN };
  const watch = setInterval(() => {
    if (!location.href.includes('bench/')) return;
    clearInterval(watch);
    window.screen_.doneAt = Date.now();
  }, 10);
  let before = performance.now();
  const next = (now) => { window.screen_.frames.push(now - before); before = now; requestAnimationFrame(next); };
  requestAnimationFrame(next);
  new PerformanceObserver((list) => window.screen_.tasks.push(...list.getEntries().map((task) => task.duration)))
    .observe({ type: 'longtask' });`;

const PATIENCE_MS = 15_000;

/** What only a real page can show: a recording analyzed in the worker while the screen keeps rendering. */
export async function pageFigures(): Promise<Figure[]> {
  const minutes = 5;
  const minute = noisyMinute();
  const long = new Float32Array(minute.length * minutes);
  for (let i = 0; i < minutes; i++) long.set(minute, i * minute.length);
  const file = join(mkdtempSync(join(tmpdir(), 'metronomo-bench-')), 'five-minutes.wav');
  writeFileSync(file, writeWav([long, long], 48_000, 16));

  const page = await openBrowser();
  try {
    await page.open('/bench');
    await page.press('How late is a recorded part?');
    await page.driver.findElement(By.css('input[type=file]')).sendKeys(file);
    await page.sees(`${minutes * 60}.0 s at 48 kHz`, 60_000);
    await page.driver.executeScript(WATCH_SCREEN);
    const startedAt = Date.now();
    await page.press('Measure');
    // The page records the moment itself: every query would delay its frames.
    await new Promise((resolve) => setTimeout(resolve, PATIENCE_MS));
    const { frames, tasks, doneAt } = await page.driver.executeScript<{
      frames: number[];
      tasks: number[];
      doneAt: number;
    }>('return window.screen_');
    const ms = doneAt - startedAt;
    await page.sees('95% interval');
    const [take] = await stored<{ computeMs: number }>(page.driver, 'takes');
    frames.sort((a, b) => a - b);
    const p95 = frames[Math.floor(frames.length * 0.95)] ?? NaN;
    return [
      {
        what: `${minutes} min of two channels, measured and kept, in the page's worker`,
        ours: `${timesRealTime(minutes * 60 * 2, take?.computeMs ?? NaN)}; with keeping it ${timesRealTime(minutes * 60 * 2, ms)}`,
        beside: `meanwhile: frames ${p95.toFixed(0)} ms at p95, ${frames.at(-1)?.toFixed(0)} ms the longest; longest task of the page ${Math.max(0, ...tasks).toFixed(0)} ms`,
      },
    ];
  } finally {
    await page.close();
  }
}
