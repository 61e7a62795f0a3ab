import { By, Key } from 'selenium-webdriver';
import { BOATHOUSE } from '../core/src/standin/boathouse';
import { USUAL_RECORDER } from '../core/src/standin/recorder';
import { violations } from './axe';
import { openBrowser, type Page } from './browser';
import { stored } from './page-stand-ins';

interface StoredTake {
  id: string;
  startedAt: number;
  sampleRate: number;
  ending?: string;
  plan?: { question: string };
  lines: {
    gearId: string | null;
    report: { medianMs: number; matched: number; believable: boolean } | null;
    result?: { report: { starts: { landsMs: number | null }[] } };
  }[];
}

let page: Page;
beforeAll(async () => {
  page = await openBrowser();
  await page.open('/bench');
  await page.driver
    .findElement(By.css('input[inputmode=decimal]'))
    .sendKeys(Key.chord(Key.CONTROL, 'a'), '240', Key.ENTER);
});
afterAll(() => page.close());

const ask = (question: string) =>
  page.driver.findElement(By.xpath(`//button[@role="tab" and normalize-space()="${question}"]`)).click();
const option = (words: string) =>
  page.driver.findElement(By.xpath(`//option[contains(normalize-space(), "${words}")]`)).click();
const newest = async (question?: string) =>
  (await stored<StoredTake>(page.driver, 'takes'))
    .filter(({ plan }) => plan?.question === question)
    .sort((a, b) => b.startedAt - a.startedAt)[0]!;

test('notes there and back by a thru: six bytes of 0.32 ms (31 250 baud, ten bits a byte, MIDI 1.0)', async () => {
  await ask('How long is MIDI on its way?');
  await page.press('Send 64 notes round');
  await page.sees(/There and back takes 1\.9\d ms, so one way about 0\.96 ms/, 60_000);
  expect((await newest('loop')).lines[0]!.report).toMatchObject({ matched: 64, believable: true });
});

test('what the audio path adds is found, and a take without the click on an input counts it off', async () => {
  await ask('What does my audio path add?');
  await page.press('Measure the path');
  await page.sees('It is kept with Boathouse interface', 60_000);
  const { lines, sampleRate } = await newest('calibration');
  expect(Math.abs(lines[0]!.report!.medianMs - BOATHOUSE.soundInterface.inputDelayMs)).toBeLessThan(2000 / sampleRate);
  await ask('How late does it sound?');
  await option('4 bars');
  await option('the hub’s time, less 7.4 ms');
  await page.press('Take M');
  await page.sees('How late Porch beat box sounds', 60_000);
  const take = await newest();
  const heron = take.lines.find(({ gearId }) => gearId === 'heron')!.report!;
  const { latencyMs, cable } = BOATHOUSE.boxes.find(({ portId }) => portId === 'boathouse-heron')!;
  expect(heron.believable).toBe(true);
  expect(Math.abs(heron.medianMs - latencyMs - (cable?.byteMs ?? 0))).toBeLessThan(0.6);
  await option('the click on its input');
});

test('one after the other on one input that hears everybody: each alone in its turn, and all play again after it', async () => {
  await option('in turn, all on input 11');
  const boxes = await page.driver.findElements(By.css('fieldset label'));
  for (const box of boxes) {
    const wanted = /^(Porch|Tide)/.test(await box.getText());
    const tick = await box.findElement(By.css('input'));
    if ((await tick.isSelected()) !== wanted) await tick.click();
  }
  const before = (await newest()).startedAt;
  await page.press('Take M');
  await page.driver.wait(async () => (await newest()).startedAt !== before, 30_000);
  await page.driver.wait(async () => (await newest()).lines.every(({ report }) => report), 60_000, 'not measured');
  const { id, lines } = await newest();
  await page.driver.wait(async () => (await page.driver.getCurrentUrl()).includes(id), 10_000, 'it is not shown');
  expect(lines.map(({ gearId }) => gearId)).toEqual(['porch', 'tide']);
  for (const { gearId, report } of lines) {
    const { latencyMs, cable } = BOATHOUSE.boxes.find(({ portId }) => portId === `boathouse-${gearId}`)!;
    expect(report!.matched).toBeGreaterThanOrEqual(15);
    expect(Math.abs(report!.medianMs - latencyMs - (cable?.byteMs ?? 0))).toBeLessThan(0.6);
  }
  await option('all at once, each on its input');
}, 120_000);

test('an onset is moved and rejected by hand, and all of it taken back', async () => {
  const cursor = () => page.driver.findElement(By.css('[role=slider][aria-label^="Where beat"]'));
  const first = async () =>
    (await newest()).lines[0] as StoredTake['lines'][number] & { landings: { lateMs: number }[] };
  const before = (await first()).landings[0]!.lateMs;
  await cursor().sendKeys(Key.chord(Key.SHIFT, Key.ARROW_RIGHT));
  await page.sees(', by hand');
  await page.driver.wait(async () => Math.abs((await first()).landings[0]!.lateMs - before - 1) < 1e-6, 10_000);
  await cursor().sendKeys(Key.DELETE);
  await page.sees('By hand: 1 beats do not count.');
  await page.press('All as measured');
  await page.driver.wait(async () => (await first()).landings[0]!.lateMs === before, 10_000);
});

test('a note stays with a take', async () => {
  await page.driver.findElement(By.css('[aria-label="Note about this take"]')).sendKeys('new cable', Key.ENTER);
  await page.driver.wait(
    async () => ((await newest()) as StoredTake & { note?: string }).note === 'new cable',
    5000,
    'the note was not kept',
  );
});

test('a recorder that chases: ended early after two starts, it is told where it landed in them', async () => {
  await ask('How fast does it lock?');
  await page.press('Start and stop it');
  await page.sees(/Listening: 1[2-9] of/, 60_000);
  await page.press('End it now');
  await page.sees('How fast it locks: Weir recorder', 30_000);
  const { lines, ending } = await newest('chase');
  expect(ending).toContain('ended early');
  const [least, most] = USUAL_RECORDER.landsMs;
  const [first] = lines[0]!.result!.report.starts;
  // On its way there a code waits for a quarter frame and the cable.
  expect(first!.landsMs).toBeGreaterThan(least - 2);
  expect(first!.landsMs).toBeLessThan(most + 6);
});

test.each([
  'What does my audio path add?',
  'How long is MIDI on its way?',
  'How fast does it lock?',
  'Does it follow?',
  'Does it drift?',
])('%s passes axe', async (question) => {
  await ask(question);
  expect(await violations(page)).toEqual([]);
});

test('nothing was complained of in the console', async () => expect(await page.complaints()).toEqual([]));
