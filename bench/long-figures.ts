import { openBrowser, type Page } from '../e2e/browser';
import { stored } from '../e2e/page-stand-ins';
import type { Figure } from './figures';
import { WATCH_SCREEN } from './page-figures';

const TICKS = 1_000_000;
const SECONDS = 3600;
const PATIENCE_MS = 180_000;
const LOOK_EVERY_MS = 1000;

interface Computed {
  computeMs?: number;
}

/** Computed in the page's worker as the page finds it after a crash: unfinished takes that lie in its store. */
export async function longFigures(): Promise<Figure[]> {
  const page = await openBrowser();
  try {
    await page.driver.manage().setTimeouts({ script: PATIENCE_MS });
    await page.open('/bench');
    await page.driver.executeAsyncScript(PUT_TICKS, TICKS);
    const clock = await computed(page, 'clockTakes');
    await page.driver.executeAsyncScript(PUT_SOUND, SECONDS);
    const sound = await computed(page, 'takes');
    return [
      {
        what: 'A million ticks, the whole report with wander, in the page’s worker',
        ours: `${(clock.computeMs / 1000).toFixed(2)} s`,
        beside: clock.screen,
      },
      {
        what: 'An hour of 48 kHz, read from the store and measured, in the page’s worker',
        ours: `${(sound.computeMs / 1000).toFixed(1)} s`,
        beside: sound.screen,
      },
    ];
  } finally {
    await page.close();
  }
}

/** Opens the page anew, and waits until what lay there is computed. */
async function computed(page: Page, table: string): Promise<{ computeMs: number; screen: string }> {
  await page.open('/bench');
  await page.driver.executeScript(WATCH_SCREEN);
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

/** Opens the app's own store; `put(table, record)` waits until it is there. */
const OPEN = `
  const [amount, done] = arguments;
  const open = indexedDB.open('metronomo');
  const put = (table, record) => new Promise((resolve) => {
    const transaction = open.result.transaction(table, 'readwrite');
    transaction.objectStore(table).put(record);
    transaction.oncomplete = resolve;
  });
  let seed = 1;
  const random = () => (seed = (seed * 16807) % 2147483647) / 2147483647 - 0.5;`;

const PUT_TICKS = `${OPEN}
  open.onsuccess = async () => {
    await put('clockTakes', { id: 'million', rigId: 'boathouse', startedAt: Date.now(), status: 'recording', portId: 'p', name: 'Bench clock', ticks: 0, result: null });
    for (let index = 0, k = 0; k < amount; index++) {
      const times = Float64Array.from({ length: 10000 }, () => k++ * (1000 / 48) + random());
      await put('ticks', { takeId: 'million', index, times });
    }
    open.result.close();
    done();
  };`;

const PUT_SOUND = `${OPEN}
  open.onsuccess = async () => {
    const line = { gearId: 'porch', name: 'Porch beat box', channel: 0, offsetMs: 0, report: null, landings: [], pulsesMs: [], onsetsMs: [] };
    await put('takes', {
      id: 'hour', rigId: 'boathouse', startedAt: Date.now(), source: 'live', proof: false, status: 'recording', sampleRate: 48000, frames: 0,
      bpm: 120, drive: 'clock', input: 'Bench', beats: { bpm: 120, firstBeatMs: 300 }, lines: [line],
    });
    for (let index = 0; index < amount; index++) {
      const samples = Float32Array.from({ length: 48000 }, () => 0.02 * random());
      for (const at of [15000, 39000])
        for (let i = 0; i < 4800; i++) samples[at + i] += 0.5 * Math.sin(0.26 * i) * Math.exp(-i / 200);
      await put('sound', { takeId: 'hour', index, channels: [samples] });
    }
    open.result.close();
    done();
  };`;
