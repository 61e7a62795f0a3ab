import { existsSync } from 'node:fs';
import { cpus, loadavg } from 'node:os';
import { coreFigures } from './core-figures';
import { filesFigures } from './files-figures';
import { firstLoadFigures } from './first-load-figures';
import type { Figure } from './figures';
import { followFigures } from './follow-figures';
import { hubFigures } from './hub-figures';
import { logbookFigures } from './logbook-figures';
import { longFigures } from './long-figures';
import { memoryFigures } from './memory-figures';
import { BPM, networkFigures, SESSIONS } from './network-figures';
import { bePeers } from './network-peers';
import { pageFigures } from './page-figures';
import { rigFigures } from './rig-figures';
import { runFigures } from './run-figures';
import { takeFigures } from './take-figures';
import { throttledFigures } from './throttled-figures';
import { twoFigures } from './two-figures';

type Figures = () => Figure[] | Promise<Figure[]>;

const IN_NODE: Record<string, Figures> = {
  core: coreFigures,
  hub: hubFigures,
  follow: followFigures,
  take: takeFigures,
  files: filesFigures,
  network: networkFigures,
};

const IN_BROWSER: Record<string, Figures> = {
  firstLoad: firstLoadFigures,
  rig: rigFigures,
  run: runFigures,
  page: pageFigures,
  throttled: throttledFigures,
  two: twoFigures,
  long: longFigures,
  logbook: logbookFigures,
  // An hour takes long: ask for it with BENCH_MINUTES=60.
  memory: () => memoryFigures(Number(process.env['BENCH_MINUTES'] ?? 3)),
};

/** As soon as they are measured: all of them take over ten minutes. */
function print(name: string, figures: readonly Figure[]): void {
  console.log(`${name}:`);
  for (const { what, ours, beside } of figures) console.log(`  ${what}\n    ${ours}\n    beside: ${beside || '—'}`);
}

/** All figures, or the named ones: `npm run bench -- run page`. */
async function main(names: readonly string[]): Promise<void> {
  console.log(
    `Node ${process.versions.node}, ${cpus().length} cores, load ${loadavg()[0]?.toFixed(2)}. Medians of several runs.\n`,
  );
  const browser = existsSync('/usr/bin/chromium') && existsSync('web/dist/index.html');
  const all = { ...IN_NODE, ...(browser ? IN_BROWSER : {}) };
  const unknown = names.filter((name) => !(name in all));
  if (unknown.length > 0)
    console.log(`No such figures: ${unknown.join(', ')}. There are ${Object.keys(all).join(', ')}.`);
  for (const [name, measure] of Object.entries(all))
    if (names.length === 0 || names.includes(name)) print(name, await measure());
  if (!browser) console.log('The page was not measured: it needs Chromium and a build (npm run build).');
}

const names = process.argv.slice(2);
void (names[0] === '--network-peers' ? bePeers(SESSIONS, BPM) : main(names));
