import { openBrowser, type Page } from '../e2e/browser';
import { withMidi } from '../e2e/page-stand-ins';
import { openBoxes } from './boxes';
import type { Figure } from './figures';
import { MachineWatch } from '../e2e/machine';

const FEEDS = 16;
const BPM = 300;
const SETTLE_MS = 8000;
/** Longer than the lookahead remembers the load of opening the page. */
const QUIET_SETTLE_MS = 40_000;
const MEASURE_MS = 60_000;
/** How long the lookahead remembers a stall. */
const REMEMBERED_MS = 31_000;

interface Counted {
  all: number;
  late: number;
  latestMs: number;
}
interface Run extends Counted {
  frames: number[];
  machine: MachineWatch;
  /** Once a second, with its time in ms since the epoch. */
  lookaheads: { atMs: number; ms: number }[];
}

/**
 * Sixteen clocks at 300 BPM from a page whose main thread is blocked for 100 ms every second, compared with a timer
 * loop.
 */
export async function runFigures(measureMs = MEASURE_MS): Promise<Figure[]> {
  const page = await openBrowser();
  try {
    await withMidi(page.driver, { outputs: FEEDS });
    await openBoxes(page, { count: FEEDS, bpm: BPM });
    const quiet = await playFor(page, measureMs, 0);
    const ours = await playFor(page, measureMs, 100);
    const plain = await timerLoop(page, measureMs / 2);
    const calm = quiet.lookaheads.filter(({ atMs }) => quiet.machine.calm(atMs - REMEMBERED_MS, atMs));
    const perTenThousand = ({ late, all }: Counted) => ((late / all) * 10_000).toFixed(2);
    const p95 = (frames: number[]) => frames.sort((a, b) => a - b)[Math.floor(frames.length * 0.95)] ?? NaN;
    return [
      {
        what: `${FEEDS} clock feeds at ${BPM} BPM, main thread held 100 ms every second: late of 10 000 messages`,
        ours: `${perTenThousand(ours)} (${ours.late} of ${ours.all}, ${ours.latestMs.toFixed(0)} ms the latest; lookahead ${spread(ours.lookaheads)})`,
        beside: `a timer loop in the same page: ${perTenThousand(plain)} (${plain.latestMs.toFixed(0)} ms the latest)`,
      },
      {
        what: 'Run meanwhile: time between frames at p95',
        ours: `${p95(ours.frames).toFixed(1)} ms with the holds, ${p95(quiet.frames).toFixed(1)} ms without`,
        beside: `meanwhile ${ours.machine.report}`,
      },
      {
        what: 'The same with nothing held',
        ours: `${quiet.late} late of ${quiet.all}, lookahead ${spread(quiet.lookaheads)}`,
        beside: `meanwhile ${quiet.machine.report}`,
      },
      {
        what: 'Of that, the seconds that had half a minute behind them in which nothing stalled',
        ours: `${calm.length} of ${quiet.lookaheads.length}, lookahead ${spread(calm)}`,
        beside: 'stalled: another process over 30 ms late, or the host took over 30 ms within 100',
      },
    ];
  } finally {
    await page.close();
  }
}

function spread(lookaheads: Run['lookaheads']): string {
  if (lookaheads.length === 0) return 'unknown';
  const sorted = lookaheads.map(({ ms }) => ms).sort((a, b) => a - b);
  const at = (share: number) => sorted[Math.min(sorted.length - 1, Math.floor(sorted.length * share))] ?? NaN;
  return `${at(0.5)} ms the median, ${at(0.9)} at p90, ${at(1)} the most`;
}

/** Records the page's frame intervals. */
const WATCH_FRAMES = `
  window.frames_ = [];
  let before = performance.now(), on = true;
  const next = (now) => { if (!on) return; window.frames_.push(now - before); before = now; requestAnimationFrame(next); };
  requestAnimationFrame(next);
  window.ahead_ = [];
  const plans = document.evaluate("//*[starts-with(@title, 'Look-ahead')]", document, null, 9).singleNodeValue;
  const look = setInterval(() => window.ahead_.push({ atMs: Date.now(), ms: Number(/Look-ahead (\\d+) ms/.exec(plans.title)[1]) }), 1000);
  window.stopWatching = () => { on = false; clearInterval(look); };`;

async function playFor(page: Page, ms: number, holdMs: number): Promise<Run> {
  const machine = new MachineWatch();
  await page.press('Play');
  await page.sees('playing');
  if (holdMs > 0)
    await page.driver.executeScript(
      `window.holding = setInterval(() => { const until = performance.now() + ${holdMs}; while (performance.now() < until); }, 1000);`,
    );
  // By the page's own timer, so that no call from outside affects what the lookahead remembers.
  const settleMs = holdMs > 0 ? SETTLE_MS : QUIET_SETTLE_MS;
  await page.driver.executeScript(
    `setTimeout(() => { Object.assign(standIn.counted, { all: 0, late: 0, latestMs: 0 }); ${WATCH_FRAMES} }, ${settleMs});`,
  );
  await delay(settleMs);
  await delay(ms);
  machine.end();
  const { counted, frames, lookaheads } = await page.driver.executeScript<{
    counted: Counted;
    frames: number[];
    lookaheads: Run['lookaheads'];
  }>(
    `clearInterval(window.holding); window.stopWatching();
     return { counted: { ...standIn.counted }, frames: window.frames_, lookaheads: window.ahead_ };`,
  );
  await page.press('Stop');
  await page.sees('stopped');
  return { ...counted, frames, machine, lookaheads };
}

/** The naive alternative: every 5 ms, send the ticks that are due. */
async function timerLoop(page: Page, ms: number): Promise<Counted> {
  await page.driver.manage().setTimeouts({ script: 2 * ms });
  return page.driver.executeAsyncScript<Counted>(
    `const done = arguments[arguments.length - 1];
     navigator.requestMIDIAccess({ sysex: false }).then((access) => {
       Object.assign(standIn.counted, { all: 0, late: 0, latestMs: 0 });
       const tickMs = 60000 / ${BPM} / 24, ports = [...access.outputs.values()];
       let due = performance.now() + 50;
       const hold = setInterval(() => { const until = performance.now() + 100; while (performance.now() < until); }, 1000);
       const loop = setInterval(() => {
         // It sends what falls due before it expects to be called again.
         for (; due < performance.now() + 10; due += tickMs) for (const port of ports) port.send([0xf8], due);
       }, 5);
       setTimeout(() => { clearInterval(hold); clearInterval(loop); done({ ...standIn.counted }); }, ${ms});
     });`,
  );
}

function delay(ms: number): Promise<void> {
  return new Promise((resolve) => setTimeout(resolve, ms));
}
