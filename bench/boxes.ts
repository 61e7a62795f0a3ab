import { mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { By } from 'selenium-webdriver';
import type { Cable, Socket } from '../core/src/rig/rig';
import { fromShelf } from '../core/src/rig/shelf';
import type { Page } from '../e2e/browser';

interface Boxes {
  count: number;
  bpm: number;
  /** Input channel of the first one's sound. */
  returnChannel?: number;
}

/** Opens a rig of drum machines, one on each MIDI output of the page's stand-in, and shows Run. */
export async function openBoxes(page: Page, boxes: Boxes): Promise<void> {
  await page.open('/rig');
  const file = join(mkdtempSync(join(tmpdir(), 'metronomo-bench-')), 'boxes.rig.json');
  writeFileSync(file, JSON.stringify({ metronomoRig: 1, rig: rigOf(boxes) }));
  await page.driver.findElement(By.css('input[aria-label="Open rig file"]')).sendKeys(file);
  await page.sees('Opened Boxes.');
  await page.press('Ports');
  await page.press('Connect MIDI ports');
  await page.sees('connected');
  await page.driver.findElement(By.css('a[href="/run"]')).click();
}

function rigOf({ count, bpm, returnChannel }: Boxes) {
  const hubSockets: Socket[] = Array.from({ length: count }, (_, i) => ({
    id: `p${i + 1}`,
    label: `Attic in ${i + 1}`,
    direction: 'out',
    link: 'din',
    portId: `midi:attic-${i + 1}`,
  }));
  const gear = hubSockets.map(({ portId }, i) => ({
    ...fromShelf('beatBox', `g${i + 1}`, `Box ${i + 1}`),
    icon: null,
    checked: [],
    place: null,
    portId,
    sends: { clock: true, transport: true, position: true },
    noteChannel: 10,
    returnChannel: i === 0 ? (returnChannel ?? null) : null,
  }));
  const cables: Cable[] = gear.map(({ id }, i) => ({
    id: `c${i + 1}`,
    from: { gearId: 'hub', socketId: `p${i + 1}` },
    to: { gearId: id, socketId: 'in' },
    notesPerSecond: 0,
  }));
  const input = { sourceId: 'none', label: 'none', clickChannel: 0 };
  return { name: 'Boxes', bpm, gear, hubSockets, cables, leaders: ['hub'], input };
}
