import { mkdtempSync, readFileSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { unzipSync } from 'fflate';
import { By, Key, until } from 'selenium-webdriver';
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
  source: string;
  ending?: string;
  proof: boolean;
  status: string;
  lines: { gearId: string; report: { medianMs: number; ci95Ms: [number, number]; believable: boolean } }[];
}

/** From the byte to the sound, with the way there: the cable's own time, the byte on the line, half a poll. */
const hidden = new Map(
  BOATHOUSE.boxes.map(({ portId, latencyMs, jitterMs, cable }) => {
    const { delayMs = 0, byteMs = 0, pollMs = 0 } = cable ?? {};
    // Three standard errors of the median of so many beats, and half a poll.
    const doubtOf = (beats: number) => 0.3 + 3 * 1.25 * (jitterMs / Math.sqrt(beats)) + pollMs / 2;
    return [
      portId.replace('boathouse-', ''),
      { lateMs: latencyMs + delayMs + byteMs + pollMs / 2, doubt: doubtOf(16), doubtOf64: doubtOf(64) },
    ];
  }),
);

let page: Page;
beforeAll(async () => (page = await openBrowser()));
afterAll(() => page.close());

const setTempo = (bpm: string) =>
  page.driver.findElement(By.css('input[inputmode=decimal]')).sendKeys(Key.chord(Key.CONTROL, 'a'), bpm, Key.ENTER);
/** What is not the same in two archives: by its name, and where it begins to differ. */
const differing = (one: Record<string, Uint8Array>, two: Record<string, Uint8Array>) =>
  [...new Set([...Object.keys(one), ...Object.keys(two)])].flatMap((name) => {
    const [a, b] = [Buffer.from(one[name] ?? []), Buffer.from(two[name] ?? [])];
    const at = a.findIndex((byte, i) => byte !== b[i]);
    return a.equals(b)
      ? []
      : [`${name}: ${a.subarray(at - 40, at + 80).toString()} / ${b.subarray(at - 40, at + 80).toString()}`];
  });
const openFile = async (file: string) => {
  const input = page.driver.findElement(By.css('input[aria-label="A file to open"]'));
  // As the button does it: or the same file could not be opened twice.
  await page.driver.executeScript('arguments[0].value = ""', input);
  await input.sendKeys(file);
};
const takes = () => stored<StoredTake>(page.driver, 'takes');

test('the page is isolated, so that its clock is not rounded', async () => {
  await page.open('/');
  expect(await page.driver.executeScript('return crossOriginIsolated')).toBe(true);
});

test('play: all eight lock and are heard out of time; space stops and plays', async () => {
  await page.press('Play');
  await page.sees(/8 of 8\s+locked/);
  await page.sees(/\+1[23]\.\d[\s\S]*\+3[12]\.\d/);
  await page.driver.findElement(By.css('body')).sendKeys(Key.SPACE);
  await page.sees('stopped');
});

test('a tempo typed while rolling is taken over by all', async () => {
  await page.driver.findElement(By.css('body')).sendKeys(Key.SPACE);
  await page.sees(/rolling, 8 of 8/);
  await setTempo('180');
  await page.sees(/((179\.[5-9]|180\.[0-5])\d[\s\S]*){2}/);
  await page.press('Stop');
});

test('a take finds for each what is hidden', async () => {
  await page.afresh('/bench');
  await setTempo('180');
  await page.button('Take M');
  await page.driver.findElement(By.xpath('//option[normalize-space()="4 bars"]')).click();
  await page.press('Take M');
  await page.sees('95 % interval', 60_000);
  const [take] = await takes();
  expect(take!.status).toBe('done');
  for (const { gearId, report } of take!.lines) {
    expect(report.believable).toBe(true);
    const { lateMs, doubt } = hidden.get(gearId)!;
    expect(Math.abs(report.medianMs - lateMs)).toBeLessThan(doubt);
  }
  await page.go('align');
  await page.sees(/send it 12\.\d ms earlier/i);
});

test('one press measures, applies and proves: everybody on the beat, within half a ms or as near as can be told', async () => {
  await page.press('Align all');
  await page.sees(/8 of 8 are on their place, proved after [123] round/, 120_000);
  const proof = (await takes()).filter((one) => one.proof).at(-1);
  expect(proof!.lines).toHaveLength(8);
  const rig = (await stored<StoredRig>(page.driver, 'rigs')).find(({ id }) => id === 'boathouse')!;
  for (const { gearId } of proof!.lines) {
    // What is hidden, and what no proof can see: where it truly lands now.
    const { offsetMs } = rig.gear.find(({ id }) => id === gearId)!;
    const { lateMs, doubtOf64 } = hidden.get(gearId)!;
    expect(Math.abs(lateMs + offsetMs)).toBeLessThan(Math.max(0.5, doubtOf64));
  }
  const steady = proof!.lines.filter(({ gearId }) => ['porch', 'tide', 'heron', 'ledger'].includes(gearId));
  for (const { report } of steady) expect(Math.abs(report.medianMs)).toBeLessThan(0.5);
});

test('a flag that is dragged takes its offset along; locked, it stays', async () => {
  const offset = async () =>
    (await stored<StoredRig>(page.driver, 'rigs'))
      .find(({ id }) => id === 'boathouse')!
      .gear.find(({ id }) => id === 'heron')!.offsetMs;
  const before = await offset();
  const flag = () => page.driver.findElements(By.css('[aria-label^="Heron synth:"] .cursor-ew-resize path'));
  await page.press('Nearer');
  await page.press('Nearer');
  const [taken] = await flag();
  await page.driver.actions().move({ origin: taken! }).press().move({ origin: taken!, x: 60 }).release().perform();
  await page.driver.wait(async () => (await offset()) > before + 0.3, 5000, 'it was not moved');
  await page.sees(/by ear \d\.\d ms later than measured/i);
  await page.driver.findElement(By.css('body')).sendKeys(Key.chord(Key.CONTROL, 'z'));
  await page.driver.wait(async () => (await offset()) === before, 5000, 'it was not moved back');
  await page.press('Leave Heron synth as it is');
  await page.button('Let Heron synth be moved');
  expect(await flag()).toHaveLength(0);
  await page.press('Let Heron synth be moved');
});

test('offsets are kept as a set, told apart, and recalled; a card says what to type', async () => {
  await page.tab('Sets');
  await page.press('Keep');
  await page.sees('in force');
  await page.tab('Beat line');
  await page.driver
    .findElement(By.xpath('//button[@aria-pressed and contains(., "Otter bass box")]'))
    .sendKeys(Key.chord(Key.SHIFT, Key.ARROW_LEFT));
  await page.tab('Sets');
  await page.sees(/Otter bass box[\s\S]*1\.0 ms later/);
  await page.press('Recall');
  await page.sees('is in force.');
  expect(await violations(page)).toEqual([]);
  await page.tab('What to type');
  const where = '//select[@aria-label="Where the offset of Marsh laptop goes"]/option';
  await page.driver.findElement(By.xpath(`${where}[2]`)).click();
  await page.sees(/Type\s+−2\d ms\s+in its offset for the clock it receives/);
  expect(await violations(page)).toEqual([]);
  await page.driver.findElement(By.xpath(`${where}[1]`)).click();
  await page.tab('Stems');
  expect(await violations(page)).toEqual([]);
  await page.tab('Beat line');
});

test('takes and offsets are there after a reload', async () => {
  await page.open('/align');
  await page.sees(/offset 12\.\d ms earlier[\s\S]*Proved/);
  await page.go('logbook');
  await page.sees(/Proof[\s\S]*Take/);
});

test('arrow keys move the offset of the row in hand, and undo takes it back', async () => {
  await page.go('align');
  const porch = By.xpath('//button[@aria-pressed and contains(., "Porch beat box")]');
  const row = await page.driver.wait(until.elementLocated(porch), 10_000);
  const before = await row.getText();
  await row.sendKeys(Key.chord(Key.SHIFT, Key.ARROW_RIGHT));
  await page.driver.wait(async () => (await row.getText()) !== before, 5000);
  await page.driver.findElement(By.css('body')).sendKeys(Key.chord(Key.CONTROL, 'z'));
  await page.driver.wait(async () => (await row.getText()) === before, 5000);
});

test('the tab crashes in mid-take: no more than the last second is lost, and the rest is measured', async () => {
  await page.go('bench');
  await page.button('Take M');
  await page.driver.findElement(By.xpath('//option[normalize-space()="16 bars"]')).click();
  await page.press('Take M');
  await page.sees(/Listening: [4-9] of/, 30_000);
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

test('the logbook has takes, proofs and offsets; by kind and gear; two takes beside each other', async () => {
  const shows = (name: string) => page.driver.findElement(By.xpath(`//button[@aria-pressed and .="${name}"]`)).click();
  await page.sees(/Porch beat box 0\.0 → −12\.\d ms/);
  await shows('Offsets');
  const only = await page.sees(/\d of \d+ entries/);
  expect(only).not.toContain('The page was closed');
  await shows('Offsets');
  await page.driver.findElement(By.xpath('//option[.="Tide sampler"]')).click();
  for (const kind of ['Take', 'Proof']) {
    await shows(kind);
    const boxes = By.xpath('//label[contains(., "compare")]/input');
    await page.driver.wait(until.elementLocated(boxes), 10_000);
    await (await page.driver.findElements(boxes)).at(-1)!.click();
    await shows(kind);
  }
  await page.press('Compare them');
  await page.sees(/Its offset was moved by −1\d\.\d\d ms meanwhile/);
  expect(await violations(page)).toEqual([]);
  await page.tab('Trend');
  await page.sees(/takes: without an offset it is from \+12\.\d to \+12\.\d ms after the beat/);
  expect(await violations(page)).toEqual([]);
});

test.each(['rig', 'run', 'bench', 'align', 'logbook'])('%s passes axe on both sheets', async (view) => {
  await page.go(view);
  const wear = (sheet: string) => page.driver.executeScript(`document.documentElement.dataset.sheet = '${sheet}'`);
  await wear('paper');
  expect(await violations(page)).toEqual([]);
  // The other differs in its colours only.
  await wear('night');
  expect(await violations(page, ['color-contrast'])).toEqual([]);
});

test('a damaged record stops nothing: it is set aside, and said', async () => {
  await put(page.driver, 'takes', { id: 'hurt', rigId: 'boathouse', kind: 'take', startedAt: Date.now(), lines: 7 });
  await page.open('/logbook/storage');
  await page.sees(/takes[\s\S]*must be a/);
  expect(await violations(page)).toEqual([]);
  expect((await takes()).some(({ id }) => id === 'hurt')).toBe(false);
});

test('all of the demo as a ZIP; the demo reset; the ZIP looked at, merged, and written again: the same bytes', async () => {
  // One of each kind is enough: every second of nine channels is work to pack.
  const kinds = new Map((await takes()).map((take) => [`${take.status} ${take.proof}`, take.id]));
  for (const { id } of await takes())
    if (![...kinds.values()].includes(id)) await remove(page.driver, 'takes', 'id', id);
  const folder = await page.downloads();
  const before = (await takes()).length;
  await page.open('/logbook/files');
  await page.press('All of the demo as one ZIP');
  const first = await folder.next('.zip');
  expect(await violations(page)).toEqual([]);
  await page.tab('Storage');
  await page.press('Reset the demo');
  await page.sees('The demo is as on a first visit.');
  expect(await takes()).toEqual([]);
  await page.tab('Files');
  await openFile(first);
  await page.sees('lies aside', 60_000);
  expect(await violations(page)).toEqual([]);
  await page.driver.findElement(By.xpath('//label[contains(., "take what is in the file")]')).click();
  await page.press('Merge it in');
  await page.sees(/records came in from/);
  expect(await takes()).toHaveLength(before);
  await page.press('Undo');
  await page.sees('is gone again');
  expect(await takes()).toEqual([]);
  await openFile(first);
  await page.sees('lies aside', 60_000);
  await page.driver.findElement(By.xpath('//label[contains(., "take what is in the file")]')).click();
  await page.press('Merge it in');
  // What has been written down since is not in the first: twice that records came in.
  const cameIn = async () =>
    (await stored<{ kind: string }>(page.driver, 'events')).filter(({ kind }) => kind === 'data').length;
  await page.driver.wait(async () => (await cameIn()) === 2, 60_000, 'it did not come in');
  expect(await takes()).toHaveLength(before);
  await remove(page.driver, 'events', 'kind', 'data');
  await page.press('All of the demo as one ZIP');
  const [one, two] = [readFileSync(first), readFileSync(await folder.next('.zip'))];
  expect(differing(unzipSync(one), unzipSync(two))).toEqual([]);
  expect(two.equals(one)).toBe(true);
});

test('the examples of the documentation come in; a beat of a table is corrected, and its numbers stay', async () => {
  for (const name of ['one.take.json', 'beats.csv']) await openFile(join(process.cwd(), 'docs/examples', name));
  await page.sees('came in from beats.csv');
  const [table] = (await takes()).filter(({ source }) => source === 'recording');
  await page.open(`/bench/${table!.id}`);
  await page.sees('12.7 ms late');
  await page.driver.findElement(By.css('[role=slider][aria-label^="Where beat"]')).sendKeys(Key.DELETE);
  await page.sees('By hand: 1 beats do not count.');
  expect(await page.sees(/15 heard/)).toContain('12.7 ms late');
  await page.open('/logbook/files');
});

test('a damaged file is refused in words, and nothing is changed', async () => {
  const before = JSON.stringify(await takes());
  const folder = mkdtempSync(join(tmpdir(), 'metronomo-hurt-'));
  const hurt = join(folder, 'hurt.zip');
  writeFileSync(hurt, Buffer.from('PK\x03\x04 and then nothing'));
  await openFile(hurt);
  await page.sees(/This ZIP is damaged: .*Nothing was changed/);
  expect(JSON.stringify(await takes())).toBe(before);
});

test('messages are captured, saved as a MIDI file, opened again, and played back as if they came from outside', async () => {
  await page.driver.findElement(By.xpath('//button[contains(., "Messages")]')).click();
  await page.press('Capture');
  await page.press('Play');
  await page.sees(/Stop capturing \([2-9]\d{3}\)/);
  await page.press('Stop');
  await page.driver.findElement(By.xpath('//button[starts-with(normalize-space(), "Stop capturing")]')).click();
  await page.sees('What was captured is in the Logbook');
  const folder = await page.downloads();
  await page.press('MIDI file');
  const midi = await folder.next('.mid');
  await page.driver.findElement(By.xpath('//button[contains(., "Messages")]')).click();
  await openFile(midi);
  await page.sees(/messages came in from/);
  await page.press('Play back …');
  await page.driver.findElement(By.xpath('//option[starts-with(., "out Porch beat box")]')).click();
  await page.press('Play it');
  await page.sees(/\d+ messages to come/);
  await page.go('run');
  await page.press('What comes in');
  await page.sees(/Vole keyboard[\s\S]*clock, (rolling|standing)/);
});

test('nothing was complained of in the console', async () => {
  expect(await page.complaints()).toEqual([]);
});
