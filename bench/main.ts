import { existsSync } from 'node:fs';
import { cpus, loadavg } from 'node:os';
import { coreFigures } from './core-figures';
import { filesFigures } from './files-figures';
import { hubFigures } from './hub-figures';
import { logbookFigures } from './logbook-figures';
import { longFigures } from './long-figures';
import { memoryFigures } from './memory-figures';
import { pageFigures } from './page-figures';
import { rigFigures } from './rig-figures';
import { runFigures } from './run-figures';
import { takeFigures } from './take-figures';

async function main(): Promise<void> {
  console.log(
    `Node ${process.versions.node}, ${cpus().length} cores, load ${loadavg()[0]?.toFixed(2)}. Medians of several runs.\n`,
  );
  const figures = [...coreFigures(), ...hubFigures(), ...(await takeFigures()), ...(await filesFigures())];
  const browser = existsSync('/usr/bin/chromium') && existsSync('web/dist/index.html');
  if (browser)
    figures.push(
      ...(await rigFigures()),
      ...(await runFigures()),
      ...(await pageFigures()),
      ...(await longFigures()),
      ...(await logbookFigures()),
    );
  // An hour is long to wait: ask for it by BENCH_MINUTES=60.
  if (browser) figures.push(...(await memoryFigures(Number(process.env['BENCH_MINUTES'] ?? 3))));
  console.table(Object.fromEntries(figures.map(({ what, ours, beside }) => [what, { ours, beside }])));
  if (!browser) console.log('The page was not measured: it needs Chromium and a build (npm run build).');
}

void main();
