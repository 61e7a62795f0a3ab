import type { Driver } from 'selenium-webdriver/chrome';
import { openBrowser } from '../e2e/browser';
import type { Figure } from './figures';
import { MachineWatch } from '../e2e/machine';

const SLOWER = 4;
const RUNS = 5;

/** Notes when the view is first drawn, and when the studio runs and a task gets its turn. */
const WATCH_LOAD = `
  window.load_ = { drawnMs: NaN, usableMs: NaN };
  const watch = new MutationObserver(() => {
    if (!document.querySelector('main > h1 ~ *')) return;
    if (Number.isNaN(window.load_.drawnMs)) window.load_.drawnMs = performance.now();
    if (document.querySelector('main[aria-busy="true"]')) return;
    watch.disconnect();
    setTimeout(() => (window.load_.usableMs = performance.now()));
  });
  watch.observe(document, { subtree: true, childList: true, attributes: true });`;

interface Load {
  drawnMs: number;
  usableMs: number;
  /** Compressed, of each script and style asked for until it was drawn. */
  files: { name: string; bytes: number }[];
}

/** What a first visit loads before it shows anything, and how soon a slow computer can be used. */
export async function firstLoadFigures(): Promise<Figure[]> {
  const machine = new MachineWatch();
  const loads: Load[] = [];
  for (let i = 0; i < RUNS; i++) loads.push(await load());
  machine.end();
  const median = (of: (load: Load) => number) => loads.map(of).sort((a, b) => a - b)[Math.floor(RUNS / 2)] ?? NaN;
  const bytes = ({ files }: Load) => files.reduce((sum, file) => sum + file.bytes, 0);
  const biggest = [...(loads[0]?.files ?? [])].sort((a, b) => b.bytes - a.bytes).slice(0, 6);
  return [
    {
      what: `First visit, from the server to the first picture: script and style, compressed`,
      ours: `${(median(bytes) / 1000).toFixed(0)} kB in ${loads[0]?.files.length} files`,
      beside: biggest.map(({ name, bytes }) => `${name} ${(bytes / 1000).toFixed(0)}`).join(', '),
    },
    {
      what: `First visit over loopback, processor ${SLOWER} times slower: drawn, usable`,
      ours: `${median(({ drawnMs }) => drawnMs).toFixed(0)} ms, ${median(({ usableMs }) => usableMs).toFixed(0)} ms`,
      beside: `usable in ${loads.map(({ usableMs }) => usableMs.toFixed(0)).join(', ')} ms; meanwhile ${machine.report}`,
    },
  ];
}

async function load(): Promise<Load> {
  const page = await openBrowser();
  const devTools = (name: string, parameters: object) => (page.driver as Driver).sendDevToolsCommand(name, parameters);
  try {
    await devTools('Page.addScriptToEvaluateOnNewDocument', { source: WATCH_LOAD });
    await devTools('Emulation.setCPUThrottlingRate', { rate: SLOWER });
    await page.driver.get(`${page.url}/`);
    const usable = () => page.driver.executeScript<boolean>('return window.load_?.usableMs > 0');
    await page.driver.wait(usable, 30_000, 'it never got usable', 500);
    return await page.driver.executeScript<Load>(`
      const { drawnMs, usableMs } = window.load_;
      const files = performance
        .getEntriesByType('resource')
        .filter(({ name, startTime }) => startTime < drawnMs && /\\.(js|css)$/.test(name))
        .map(({ name, encodedBodySize }) => ({ name: name.split('/').pop(), bytes: encodedBodySize }));
      return { drawnMs, usableMs, files };`);
  } finally {
    await page.close();
  }
}
