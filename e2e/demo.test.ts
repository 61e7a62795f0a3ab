import { mkdtempSync, readFileSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { unzipSync } from 'fflate';
import { By, Key, until } from 'selenium-webdriver';
import type { Driver } from 'selenium-webdriver/chrome';
import { BOATHOUSE } from '../core/src/standin/boathouse';
import { violations } from './axe';
import { openBrowser, type Page } from './browser';
import { put, remove, soundSeconds, stored } from './page-stand-ins';

interface StoredRig {
  id: string;
  gear: { id: string; offsetMs: number }[];
}

interface StoredTake {
  id: string;
  startedAt: number;
  source: string;
  ending?: string;
  proof: boolean;
  status: string;
  lines: {
    gearId: string;
    report: { medianMs: number; ci95Ms: [number, number]; believable: boolean; besideDb?: number };
  }[];
}

/** Gear that shares a port with another, by its input. */
const SHARING: Record<number, string> = { 10: 'rush', 11: 'teal', 12: 'quill' };
/** Latency from the byte to the sound, including the cable: its own delay, the byte on the line, half a poll. */
const hidden = new Map(
  BOATHOUSE.boxes.map(({ portId, channel = 0, latencyMs, jitterMs, cable }) => {
    const { delayMs = 0, byteMs = 0, pollMs = 0 } = cable ?? {};
    // Three standard errors of the median of this many beats, and half a poll.
    const doubtOf = (beats: number) => 0.3 + 3 * 1.25 * (jitterMs / Math.sqrt(beats)) + pollMs / 2;
    return [
      SHARING[channel] ?? portId.replace('boathouse-', ''),
      { lateMs: latencyMs + delayMs + byteMs + pollMs / 2, doubt: doubtOf(16), doubtOf64: doubtOf(64) },
    ];
  }),
);

let page: Page;
beforeAll(async () => (page = await openBrowser()));
afterAll(() => page.close());

const setTempo = (bpm: string) =>
  page.driver.findElement(By.css('input[inputmode=decimal]')).sendKeys(Key.chord(Key.CONTROL, 'a'), bpm, Key.ENTER);
/** Differences between two archives: entry name and first difference. */
const differing = (one: Record<string, Uint8Array>, two: Record<string, Uint8Array>) =>
  [...new Set([...Object.keys(one), ...Object.keys(two)])].flatMap((name) => {
    const [a, b] = [Buffer.from(one[name] ?? []), Buffer.from(two[name] ?? [])];
    const at = a.findIndex((byte, i) => byte !== b[i]);
    return a.equals(b)
      ? []
      : [`${name}: ${a.subarray(at - 40, at + 80).toString()} / ${b.subarray(at - 40, at + 80).toString()}`];
  });
const openFile = async (file: string) => {
  const input = page.driver.findElement(By.css('input[aria-label="File to import"]'));
  // Reset the input like the button does; otherwise the same file couldn't be opened twice.
  await page.driver.executeScript('arguments[0].value = ""', input);
  await input.sendKeys(file);
};
const takes = async () => (await stored<StoredTake>(page.driver, 'takes')).sort((a, b) => a.startedAt - b.startedAt);

test('the page is cross-origin isolated, so that its clock isn’t rounded', async () => {
  await page.open('/');
  expect(await page.driver.executeScript('return crossOriginIsolated')).toBe(true);
});

test('every view opens without a console warning, sound included, before the first press', async () => {
  for (const view of ['rig', 'bench', 'align', 'logbook', 'run']) {
    await page.go(view);
    await page.sees(/\d+ messages sent/);
  }
  expect(await page.warnings()).toEqual([]);
});

test.each([820, 640, 390, 320])('in a window %d pixels wide, nothing is cut or out of reach', async (width) => {
  const size = (to: number) =>
    (page.driver as Driver).sendDevToolsCommand('Emulation.setDeviceMetricsOverride', {
      ...{ width: to, height: 800, deviceScaleFactor: 1, mobile: false },
    });
  await size(width);
  for (const view of ['rig', 'run', 'bench', 'align', 'logbook']) {
    await page.go(view);
    const wider = await page.driver.executeScript<string[]>(`
      const main = document.querySelector('main');
      const isIn = (box) => box.width > 0 && box.left >= 0 && box.right <= innerWidth + 1;
      const reached = ['Play', 'Go to start', 'Position', 'Timecode'].map((name) => [name, \`[aria-label="\${name}"]\`]);
      return [
        ...(document.documentElement.scrollWidth > innerWidth ? ['the page'] : []),
        ...(main.scrollWidth > main.clientWidth ? ['the view'] : []),
        ...[...reached, ['tempo', 'header input[inputmode=decimal]']]
          .filter(([, css]) => !isIn(document.querySelector(css).getBoundingClientRect()))
          .map(([name]) => name),
        ...[...document.querySelectorAll('header button, nav a')]
          .filter((one) => !isIn(one.getBoundingClientRect()))
          .map((one) => one.textContent),
      ];`);
    expect({ view, wider }).toEqual({ view, wider: [] });
  }
  await page.go('run');
  await page.driver.findElement(By.css('input[aria-label="Offset of Porch beat box"]'));
  await page.driver.findElement(By.css('button[aria-label="Stop only Porch beat box"]'));
  await page.sees('Leader');
  expect(await violations(page)).toEqual([]);
  await size(1280);
});

test('with forced colors, what is chosen and lit stays distinct', async () => {
  const media = (value: string) =>
    (page.driver as Driver).sendDevToolsCommand('Emulation.setEmulatedMedia', {
      features: [{ name: 'forced-colors', value }],
    });
  await media('active');
  await page.go('run');
  const style = (css: string, property: string) =>
    page.driver.executeScript<string>(
      'return getComputedStyle(document.querySelector(arguments[0])).getPropertyValue(arguments[1])',
      ...[css, property],
    );
  expect(await style('nav a[aria-current]', 'outline-style')).toBe('solid');
  expect(await style('nav a:not([aria-current])', 'outline-style')).toBe('none');
  expect(await style('[role=tab][aria-selected=true]', 'outline-style')).toBe('solid');
  expect(await style('[role=tab][aria-selected=false]', 'outline-style')).toBe('none');
  await media('none');
});

test('play: all eleven lock and are heard out of time; space stops and plays', async () => {
  await page.press('Play');
  await page.sees(/11 of 11\s+locked/);
  await page.sees(/\+1[23]\.\d[\s\S]*\+3[12]\.\d/);
  await page.driver.findElement(By.css('body')).sendKeys(Key.SPACE);
  await page.sees('stopped');
});

test('a tempo typed during playback reaches everyone', async () => {
  await page.driver.findElement(By.css('body')).sendKeys(Key.SPACE);
  await page.sees(/playing, 11 of 11/);
  await setTempo('180');
  await page.sees(/((179\.[5-9]|180\.[0-5])\d[\s\S]*){2}/);
  await page.press('Stop');
});

test('a take finds each hidden latency', async () => {
  await page.afresh('/bench');
  await setTempo('180');
  await page.button('Record take M');
  await page.driver.findElement(By.xpath('//option[normalize-space()="4 bars"]')).click();
  await page.press('Record take M');
  await page.sees('95% interval', 60_000);
  const [take] = await takes();
  expect(take!.status).toBe('done');
  for (const { gearId, report } of take!.lines) {
    // Devices with alike sounds, but no bleed.
    expect(report).toMatchObject({ believable: true });
    expect(report.besideDb).toBeUndefined();
    const { lateMs, doubt } = hidden.get(gearId)!;
    expect(Math.abs(report.medianMs - lateMs)).toBeLessThan(doubt);
  }
  await page.go('align');
  await page.sees(/send it 12\.\d ms earlier/i);
});

test('one press measures, applies and confirms: everyone on the beat within 0.5 ms, or as close as can be told', async () => {
  await page.press('Align all');
  await page.sees(/All 11 in time, confirmed after [123] pass/, 200_000);
  const proof = (await takes()).filter((one) => one.proof).at(-1);
  expect(proof!.lines).toHaveLength(11);
  const rig = (await stored<StoredRig>(page.driver, 'rigs')).find(({ id }) => id === 'boathouse')!;
  for (const { gearId } of proof!.lines) {
    // Checked against the hidden latency, which no proof can see.
    const { offsetMs } = rig.gear.find(({ id }) => id === gearId)!;
    const { lateMs, doubtOf64 } = hidden.get(gearId)!;
    expect(Math.abs(lateMs + offsetMs)).toBeLessThan(Math.max(0.5, doubtOf64));
  }
  const steady = proof!.lines.filter(({ gearId }) => ['porch', 'tide', 'heron', 'ledger'].includes(gearId));
  for (const { report } of steady) expect(Math.abs(report.medianMs)).toBeLessThan(0.5);
});

test('a dragged flag moves the offset; locked, it doesn’t', async () => {
  const offset = async () =>
    (await stored<StoredRig>(page.driver, 'rigs'))
      .find(({ id }) => id === 'boathouse')!
      .gear.find(({ id }) => id === 'heron')!.offsetMs;
  const before = await offset();
  const flag = () => page.driver.findElements(By.css('[aria-label^="Heron synth:"] .cursor-ew-resize path'));
  await page.press('Zoom in');
  await page.press('Zoom in');
  const [taken] = await flag();
  await page.driver.actions().move({ origin: taken! }).press().move({ origin: taken!, x: 60 }).release().perform();
  await page.driver.wait(async () => (await offset()) > before + 0.3, 5000, 'it was not moved');
  await page.sees(/\d\.\d ms later than measured, set by ear/i);
  await page.driver.findElement(By.css('body')).sendKeys(Key.chord(Key.CONTROL, 'z'));
  await page.driver.wait(async () => (await offset()) === before, 5000, 'it was not moved back');
  await page.press('Lock offset of Heron synth');
  await page.button('Unlock offset of Heron synth');
  expect(await flag()).toHaveLength(0);
  await page.press('Unlock offset of Heron synth');
});

test('offsets are saved as a set, compared and recalled; a card shows what to enter', async () => {
  await page.tab('Offset sets');
  await page.press('Save');
  await page.sees('active');
  await page.tab('Beat line');
  await page.driver
    .findElement(By.xpath('//button[@aria-pressed and contains(., "Otter bass box")]'))
    .sendKeys(Key.chord(Key.SHIFT, Key.ARROW_LEFT));
  await page.tab('Offset sets');
  await page.sees(/Otter bass box[\s\S]*1\.0 ms later/);
  await page.press('Recall');
  await page.sees(' recalled.');
  expect(await violations(page)).toEqual([]);
  await page.tab('Device offsets');
  const where = '//select[@aria-label="Offset location for Marsh laptop"]/option';
  await page.driver.findElement(By.xpath(`${where}[2]`)).click();
  await page.sees(/Enter\s+−2\d ms\s+as the device’s offset for incoming clock/);
  const add = '//select[@aria-label="Add an offset of Marsh laptop"]/option[normalize-space()="audio (delay)"]';
  await page.driver.findElement(By.xpath(add)).click();
  await page.sees(/Offset for audio[\s\S]*With its offset for sync as it is, Marsh laptop is/);
  expect(await violations(page)).toEqual([]);
  await page.press('Remove offset for audio of Marsh laptop');
  await page.driver.findElement(By.xpath(`${where}[1]`)).click();
  await page.tab('Stem alignment');
  expect(await violations(page)).toEqual([]);
  await page.tab('Beat line');
});

test('takes and offsets survive a reload', async () => {
  await page.open('/align');
  await page.sees(/offset 12\.\d ms earlier[\s\S]*Confirmed/);
  await page.go('logbook');
  await page.sees(/Proof[\s\S]*Take/);
});

test('arrow keys move the selected row’s offset, and undo reverts it', async () => {
  await page.go('align');
  const porch = By.xpath('//button[@aria-pressed and contains(., "Porch beat box")]');
  const row = await page.driver.wait(until.elementLocated(porch), 10_000);
  const before = await row.getText();
  await row.sendKeys(Key.chord(Key.SHIFT, Key.ARROW_RIGHT));
  await page.driver.wait(async () => (await row.getText()) !== before, 5000);
  await page.driver.findElement(By.css('body')).sendKeys(Key.chord(Key.CONTROL, 'z'));
  await page.driver.wait(async () => (await row.getText()) === before, 5000);
});

test('the tab crashes mid-take: at most the last second is lost, and the rest is measured', async () => {
  await page.go('bench');
  await page.button('Record take M');
  await page.driver.findElement(By.xpath('//option[normalize-space()="16 bars"]')).click();
  await page.press('Record take M');
  await page.hasMeasured(4);
  const captured = await page.crash<number>(`Number(document.querySelector('[role=progressbar]').ariaValueNow)`);
  expect(captured).toBeGreaterThan(3);
  await page.open('/logbook');
  await page.sees('The page was closed during this take.');
  const ofCrash = async () =>
    (await takes()).find(({ status, ending }) => status === 'interrupted' && /closed/.test(ending ?? ''))!;
  expect(await soundSeconds(page.driver, (await ofCrash()).id)).toBeGreaterThan(captured - 1);
  const measured = async () => (await ofCrash()).lines.every(({ report }) => report !== null);
  await page.driver.wait(measured, 10_000, 'what was captured was not measured');
});

test('the logbook lists takes, proofs and offsets; filters by kind and device; compares two takes', async () => {
  const shows = (name: string) => page.driver.findElement(By.xpath(`//button[@aria-pressed and .="${name}"]`)).click();
  await page.sees(/Porch beat box 0\.0 → −12\.\d ms/);
  await shows('Offsets');
  const only = await page.sees(/\d of \d+ entries/);
  expect(only).not.toContain('The page was closed');
  await shows('Offsets');
  await page.driver.findElement(By.xpath('//option[.="Tide sampler"]')).click();
  for (const kind of ['Take', 'Proof']) {
    await shows(kind);
    const boxes = By.xpath('//label[contains(., "Compare")]/input');
    await page.driver.wait(until.elementLocated(boxes), 10_000);
    await (await page.driver.findElements(boxes)).at(-1)!.click();
    await shows(kind);
  }
  await page.press('Compare');
  await page.sees(/The offset changed by −1\d\.\d\d ms in between/);
  expect(await violations(page)).toEqual([]);
  await page.tab('Trend');
  await page.sees(/takes\. Without its offset: 12\.\d ms late to 12\.\d ms late/);
  expect(await violations(page)).toEqual([]);
});

test.each(['rig', 'run', 'bench', 'align', 'logbook'])('%s passes axe in both themes', async (view) => {
  await page.go(view);
  const wear = (sheet: string) => page.driver.executeScript(`document.documentElement.dataset.sheet = '${sheet}'`);
  await wear('paper');
  expect(await violations(page)).toEqual([]);
  // The dark theme differs in its colors only.
  await wear('night');
  expect(await violations(page, ['color-contrast'])).toEqual([]);
});

test('a damaged record is set aside and reported, and everything else works', async () => {
  await put(page.driver, 'takes', { id: 'hurt', rigId: 'boathouse', kind: 'take', startedAt: Date.now(), lines: 7 });
  await page.open('/logbook/storage');
  await page.sees(/Take[\s\S]*must be a/);
  expect(await violations(page)).toEqual([]);
  expect((await takes()).some(({ id }) => id === 'hurt')).toBe(false);
});

test('the demo exported, reset, previewed, merged and exported again gives the same bytes', async () => {
  // One take of each kind is enough: every second of nine channels takes time to pack.
  const kinds = new Map((await takes()).map((take) => [`${take.status} ${take.proof}`, take.id]));
  for (const { id } of await takes())
    if (![...kinds.values()].includes(id)) await remove(page.driver, 'takes', 'id', id);
  const folder = await page.downloads();
  const before = (await takes()).length;
  await page.open('/logbook/files');
  await page.press('Export the demo (ZIP)');
  const first = await folder.next('.zip');
  expect(await violations(page)).toEqual([]);
  await page.tab('Storage');
  await page.press('Reset demo');
  await page.press('Reset');
  await page.sees('Demo reset.');
  expect(await takes()).toEqual([]);
  await page.tab('Import and export');
  await openFile(first);
  await page.sees('Import preview', 60_000);
  expect(await violations(page)).toEqual([]);
  await page.driver.findElement(By.xpath('//label[contains(., "Use version from file")]')).click();
  await page.press('Merge');
  await page.sees(/Imported \d+ records? from/);
  expect(await takes()).toHaveLength(before);
  await page.press('Undo');
  await page.sees(' undone.');
  expect(await takes()).toEqual([]);
  await openFile(first);
  await page.sees('Import preview', 60_000);
  await page.driver.findElement(By.xpath('//label[contains(., "Use version from file")]')).click();
  await page.press('Merge');
  // Entries logged since the export aren't in it: the import happens twice.
  const cameIn = async () =>
    (await stored<{ kind: string }>(page.driver, 'events')).filter(({ kind }) => kind === 'data').length;
  await page.driver.wait(async () => (await cameIn()) === 2, 60_000, 'it did not come in');
  expect(await takes()).toHaveLength(before);
  await remove(page.driver, 'events', 'kind', 'data');
  await page.press('Export the demo (ZIP)');
  const [one, two] = [readFileSync(first), readFileSync(await folder.next('.zip'))];
  expect(differing(unzipSync(one), unzipSync(two))).toEqual([]);
  expect(two.equals(one)).toBe(true);
});

test('the documentation’s examples import; a beat from CSV is corrected, and its figures stay', async () => {
  for (const name of ['one.take.json', 'beats.csv']) await openFile(join(process.cwd(), 'docs/examples', name));
  await page.sees('Imported');
  const [table] = (await takes()).filter(({ source }) => source === 'recording');
  await page.open(`/bench/${table!.id}`);
  await page.sees('12.7 ms late');
  await page.driver.findElement(By.css('[role=slider][aria-label^="Onset of beat"]')).sendKeys(Key.DELETE);
  await page.sees('Beats excluded by hand: 1.');
  expect(await page.sees(/15 heard/)).toContain('12.7 ms late');
  await page.open('/logbook/files');
});

test('a damaged file is rejected with a message, and nothing changes', async () => {
  const before = JSON.stringify(await takes());
  const folder = mkdtempSync(join(tmpdir(), 'metronomo-hurt-'));
  const hurt = join(folder, 'hurt.zip');
  writeFileSync(hurt, Buffer.from('PK\x03\x04 and then nothing'));
  await openFile(hurt);
  await page.sees(/This ZIP is damaged: .*Your data hasn’t changed/);
  expect(JSON.stringify(await takes())).toBe(before);
});

test('messages are captured, exported as a MIDI file, imported, and played back into the hub', async () => {
  await page.driver.findElement(By.xpath('//button[contains(., "Messages")]')).click();
  await page.press('Capture');
  await page.press('Play');
  await page.sees(/Stop capture \([2-9]\d{3}\)/);
  await page.press('Stop');
  await page.driver.findElement(By.xpath('//button[starts-with(normalize-space(), "Stop capture")]')).click();
  await page.sees('Capture saved in the Logbook');
  const folder = await page.downloads();
  await page.press('Export MIDI');
  const midi = await folder.next('.mid');
  await page.driver.findElement(By.xpath('//button[contains(., "Messages")]')).click();
  await openFile(midi);
  await page.sees(/Imported [\d,]+ messages from/);
  await page.press('Play back…');
  await page.driver.findElement(By.xpath('//option[starts-with(., "out Porch beat box")]')).click();
  await page.press('Start playback');
  await page.sees(/[\d,]+ messages left/);
  await page.go('run');
  await page.press('Incoming sync');
  await page.sees(/Vole keyboard[\s\S]*clock, (playing|stopped)/);
});

test('no console errors', async () => {
  expect(await page.complaints()).toEqual([]);
});
