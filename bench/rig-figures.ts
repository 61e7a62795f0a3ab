import { mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { By } from 'selenium-webdriver';
import { fromShelf } from '../core/src/rig/shelf';
import type { Cable, Socket } from '../core/src/rig/rig';

import { openBrowser } from '../e2e/browser';
import type { Figure } from './figures';

const GEAR = 60;
const CABLES = 200;
const CHANGES = 30;

/** A change to a large rig, from the click until it is on screen, and the layout and check within that. */
export async function rigFigures(): Promise<Figure[]> {
  const file = join(mkdtempSync(join(tmpdir(), 'metronomo-bench-')), 'big.rig.json');
  writeFileSync(file, JSON.stringify({ metronomoRig: 2, rig: bigRig() }));
  const page = await openBrowser();
  try {
    await page.open('/rig');
    await page.driver.findElement(By.css('input[aria-label="Open rig file"]')).sendKeys(file);
    await page.sees('Opened Sixty.');
    await page.driver.wait(
      async () => (await page.driver.findElements(By.css('.react-flow__edge'))).length >= CABLES,
      20_000,
    );
    await page.press('Gear');
    await page.press('Box 1…');
    const { whole, work, tasks } = await page.driver.executeAsyncScript<Record<'whole' | 'work' | 'tasks', number[]>>(
      `const done = arguments[arguments.length - 1];
       (async () => {
         const tasks = [];
         new PerformanceObserver((list) => tasks.push(...list.getEntries().map(({ duration }) => duration))).observe({ type: 'longtask' });
         const frame = () => new Promise(requestAnimationFrame);
         const box = () => [...document.querySelectorAll('label')].find((one) => one.textContent === 'Receive clock').querySelector('input');
         const whole = [], work = [];
         for (let i = 0; i < ${CHANGES}; i++) {
           await new Promise((resolve) => setTimeout(resolve, 300));
           const was = box().checked;
           const startedAt = performance.now();
           box().click();
           // What the press leads to is checked and rendered before anything else gets a turn.
           await new Promise((resolve) => { const { port1, port2 } = new MessageChannel(); port1.onmessage = resolve; port2.postMessage(0); });
           if (box().checked !== was) work.push(performance.now() - startedAt);
           while (box().checked === was) await frame();
           await frame();
           whole.push(performance.now() - startedAt);
         }
         done({ whole, work, tasks });
       })();`,
    );
    for (const times of [whole, work]) times.sort((a, b) => a - b);
    const at = (times: number[], share: number) => (times[Math.floor(share * (times.length - 1))] ?? NaN).toFixed(0);
    return [
      {
        what: `A change of a rig of ${GEAR} gear and ${CABLES} cables, from the press to the screen`,
        ours: `${at(whole, 0.5)} ms the median, ${at(whole, 1)} ms the longest of ${CHANGES}; of that checking and drawing it: ${at(work, 0.5)} ms the median, ${at(work, 0.9)} ms at p90, ${at(work, 1)} ms the longest (${work.length} read)`,
        beside: `the page's thread held longer than 50 ms ${tasks.length} times, ${Math.max(0, ...tasks).toFixed(0)} ms the longest; two frames alone are 33 ms`,
      },
    ];
  } finally {
    await page.close();
  }
}

function bigRig() {
  const usb = (label: string, direction: Socket['direction']): Socket => ({ id: label, label, direction, link: 'usb' });
  const hubSockets = Array.from({ length: 16 }, (_, i) => ({ ...usb(`Port ${i + 1}`, 'out'), portId: `midi:${i}` }));
  const gear = Array.from({ length: GEAR }, (_, i) => {
    const { audioOuts, ...facts } = fromShelf('beatBox', `g${i}`, `Box ${i + 1}`);
    return {
      ...facts,
      audioOuts,
      sockets: [usb('in', 'in'), usb('out', 'out')],
      set: { ...facts.set, thru: i % 4 === 0 },
      icon: null,
      checked: [],
      place: null,
      portId: null,
      sends: { clock: true, transport: true, position: false },
      noteChannel: 10,
      returnChannel: null,
    };
  });
  const cables: Cable[] = [];
  const plug = (from: [string, string], to: [string, string]) =>
    cables.push({
      id: `c${cables.length}`,
      from: { gearId: from[0], socketId: from[1] },
      to: { gearId: to[0], socketId: to[1] },
      notesPerSecond: 0,
    });
  for (let i = 0; i < GEAR; i++) plug(['hub', `Port ${(i % 16) + 1}`], [`g${i}`, 'in']);
  for (let step = 1; cables.length < CABLES; step++)
    for (let i = 0; i + step < GEAR && cables.length < CABLES; i += 1) plug([`g${i}`, 'out'], [`g${i + step}`, 'in']);
  return {
    name: 'Sixty',
    bpm: 120,
    gear,
    hubSockets,
    cables,
    leaders: ['hub'],
    input: { sourceId: 'none', label: 'none', clickChannel: 0 },
  };
}
