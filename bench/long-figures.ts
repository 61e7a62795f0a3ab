import { mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { By } from 'selenium-webdriver';
import { writeWav } from '../core/src/files/wav';
import { openBrowser, type Page } from '../e2e/browser';
import { stored } from '../e2e/page-stand-ins';
import { noisyMinute } from './core-figures';
import { decimal } from '../web/src/words/numbers';
import type { Figure } from './figures';
import { WATCH_SCREEN } from './page-figures';

const TICKS = 1_000_000;
const MINUTES = 60;
const PATIENCE_MS = 180_000;
const LOOK_EVERY_MS = 1000;

interface Computed {
  computeMs?: number;
}

/**
 * Long takes in the page's worker: unfinished ticks found in the store, as after a crash, and an hour of audio from a
 * file.
 */
export async function longFigures(): Promise<Figure[]> {
  const page = await openBrowser();
  try {
    await page.driver.manage().setTimeouts({ script: PATIENCE_MS });
    await page.open('/bench');
    await page.driver.executeAsyncScript(PUT_TICKS, TICKS);
    const clock = await recomputed(page, 'clockTakes');
    const sound = await hourFromFile(page);
    return [
      {
        what: 'A million ticks, the whole report with wander, in the page’s worker, once read from the store',
        ours: `${(clock.computeMs / 1000).toFixed(2)} s`,
        beside: clock.screen,
      },
      {
        what: 'An hour of 48 kHz from a file, in the page’s worker',
        ours: `${(sound.computeMs / 1000).toFixed(1)} s`,
        beside: sound.screen,
      },
    ];
  } finally {
    await page.close();
  }
}

async function hourFromFile(page: Page): Promise<{ computeMs: number; screen: string }> {
  const minute = noisyMinute();
  const hour = new Float32Array(MINUTES * minute.length);
  for (let i = 0; i < MINUTES; i++) hour.set(minute, i * minute.length);
  const file = join(mkdtempSync(join(tmpdir(), 'metronomo-bench-')), 'hour.wav');
  writeFileSync(file, writeWav([hour], 48_000, 16));
  await page.press('How late is a recorded part?');
  await page.driver.findElement(By.css('input[type=file]')).sendKeys(file);
  await page.sees(`${decimal(MINUTES * 60, 1)} s at 48 kHz`, PATIENCE_MS);
  await page.driver.executeScript(WATCH_SCREEN);
  await page.press('Measure');
  return computed(page, 'takes');
}

/** Reloads the page and waits until the stored take is analyzed. */
async function recomputed(page: Page, table: string): Promise<{ computeMs: number; screen: string }> {
  await page.open('/bench');
  await page.driver.executeScript(WATCH_SCREEN);
  return computed(page, table);
}

async function computed(page: Page, table: string): Promise<{ computeMs: number; screen: string }> {
  let computeMs: number | undefined;
  await page.driver.wait(
    async () => {
      await new Promise((resolve) => setTimeout(resolve, LOOK_EVERY_MS));
      computeMs = (await stored<Computed>(page.driver, table))[0]?.computeMs;
      return computeMs !== undefined;
    },
    PATIENCE_MS,
    'it was not computed',
  );
  const { frames, tasks } = await page.driver.executeScript<{ frames: number[]; tasks: number[] }>(
    'return window.screen_',
  );
  frames.sort((a, b) => a - b);
  const p95 = frames[Math.floor(frames.length * 0.95)] ?? NaN;
  return {
    computeMs: computeMs ?? NaN,
    screen: `meanwhile: ${frames.length} frames, ${p95.toFixed(0)} ms at p95, ${frames.at(-1)?.toFixed(0)} ms the longest; longest task of the page ${Math.max(0, ...tasks).toFixed(0)} ms`,
  };
}

/** Opens the app's own store; `put(table, record)` resolves once it is written. */
const OPEN = `
  const [amount, done] = arguments;
  const open = indexedDB.open('metronomo-demo');
  const put = (table, record) => new Promise((resolve) => {
    const transaction = open.result.transaction(table, 'readwrite');
    transaction.objectStore(table).put(record);
    transaction.oncomplete = resolve;
  });
  let seed = 1;
  const random = () => (seed = (seed * 16807) % 2147483647) / 2147483647 - 0.5;`;

const PUT_TICKS = `${OPEN}
  open.onsuccess = async () => {
    await put('clockTakes', { id: 'million', rigId: 'boathouse', startedAt: Date.now(), status: 'recording', portId: 'p', name: 'Bench clock', gearIds: [], ticks: 0, result: null });
    for (let index = 0, k = 0; k < amount; index++) {
      const times = Float64Array.from({ length: 10000 }, () => k++ * (1000 / 48) + random());
      await put('ticks', { takeId: 'million', index, times });
    }
    open.result.close();
    done();
  };`;
