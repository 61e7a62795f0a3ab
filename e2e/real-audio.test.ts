import { mkdtempSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { By, Key, until } from 'selenium-webdriver';
import { startAudioServer, type AudioServer } from './audio-server';
import { openBrowser, type Page } from './browser';
import { MachineWatch } from './machine';
import { stored, withMidi } from './page-stand-ins';
import { bursts, every, saveWav } from './sounds';

interface StoredTake {
  startedAt: number;
  sampleRate: number;
  status: string;
  beats: { clicksMs?: number[] };
  lines: {
    report: { medianMs: number; believable: boolean; reason?: string } | null;
    problem?: string;
  }[];
}

const MOST_TAKES = 8;

let server: AudioServer;
let page: Page;
afterEach(async () => {
  await page?.close();
  server?.end();
});

async function begin(delaySamples: number | null): Promise<void> {
  server = await startAudioServer(delaySamples);
  page = await openBrowser({ audioServer: server.environment });
  // There is no MIDI driver; only the sound is real.
  await withMidi(page.driver);
  await page.open('/rig');
  await choose('Current rig', 'My studio');
  await page.press('Ports');
  await choose('Audio interface', 'system default input');
  await page.sees('2 channels; echo cancellation');
  // Takes last half as long.
  await page.driver
    .findElement(By.css('input[inputmode=decimal]'))
    .sendKeys(Key.chord(Key.CONTROL, 'a'), '240', Key.ENTER);
}

const choose = async (label: string, option: string) => {
  const path = `//label[normalize-space()="${label}"]/following-sibling::select/option[normalize-space()="${option}"]`;
  await (await page.driver.wait(until.elementLocated(By.xpath(path)), 10_000)).click();
};

const measured = async () =>
  (await stored<StoredTake>(page.driver, 'takes'))
    .filter(({ status, lines: [line] }) => status !== 'recording' && (line?.report || line?.problem))
    .sort((a, b) => a.startedAt - b.startedAt);

/**
 * The path is constant but for stalls of the machine, which move it for good; a take that one falls into is refused. So
 * two takes in a row are the same, to the sample. On a machine that stalls in all takes, nothing can be told.
 */
test('the audio round trip through a real audio server is the same from take to take, to the sample', async () => {
  await begin(null);
  await page.go('bench');
  await page.press('What is my audio round trip?');
  const machine = new MachineWatch();
  let calm = 0;
  for (let takes = 1; takes <= MOST_TAKES; takes++) {
    const beganMs = Date.now();
    await page.press('Measure round trip');
    await page.driver.wait(async () => (await measured()).length === takes, 40_000, 'no take', 500);
    if (machine.calm(beganMs, Date.now())) calm++;
    const [before, last] = (await measured()).slice(-2);
    if (!last?.lines[0]?.report?.believable || !before?.lines[0]?.report?.believable) continue;
    expect(last.beats.clicksMs).toHaveLength(16);
    const samples = (take: StoredTake) => ((take.lines[0]?.report?.medianMs ?? NaN) / 1000) * take.sampleRate;
    if (Math.abs(samples(last) - samples(before)) < 0.01) {
      machine.end();
      return;
    }
  }
  machine.end();
  if (calm < 2) {
    console.warn(`The audio round trip can’t be compared here: ${machine.report}.`);
    return;
  }
  throw new Error(`No two takes agree: ${JSON.stringify((await measured()).map(({ lines }) => lines[0]))}`);
});

test('a copy that is 613 samples late is measured to the sample, live: of the click, and of another leader’s sound', async () => {
  const delay = 613;
  await begin(delay);
  await page.press('Connect MIDI ports');
  await page.sees('Attic in');
  await page.press('Add gear');
  await page.press('Drum machine');
  await choose('Output port', 'Attic in');
  await choose('Audio return', 'input 2');
  await page.go('bench');
  for (let takes = 1; takes <= MOST_TAKES; takes++) {
    await page.press('Record take M');
    await page.driver.wait(async () => (await measured()).length === takes, 60_000, 'no take', 500);
    const { sampleRate, lines } = (await measured()).at(-1)!;
    const report = lines[0]?.report;
    if (!report?.believable) continue;
    expect(Math.abs((report.medianMs / 1000) * sampleRate - delay)).toBeLessThanOrEqual(1);
    await againstLeader(delay);
    return;
  }
  throw new Error(`No reliable take: ${JSON.stringify((await measured()).map(({ lines }) => lines[0]))}`);
});

/** The hub is stopped; another program plays at a tempo that nobody told it. */
async function againstLeader(delay: number): Promise<void> {
  await page.press('How far behind the leader?');
  await choose('Leader’s sound', 'Input 1');
  await choose('Length', '10 s');
  const file = join(mkdtempSync(join(tmpdir(), 'metronomo-leader-')), 'leader.wav');
  const stop = server.play(saveWav(file, [bursts(every(60_000 / 103.7, 200), 118)]));
  for (let takes = 0; takes < MOST_TAKES; takes++) {
    const before = (await measured()).length;
    await page.press('Record');
    await page.driver.wait(async () => (await measured()).length > before, 60_000, 'no take', 500);
    const { sampleRate, lines } = (await measured()).at(-1)!;
    const report = lines[0]?.report;
    if (!report?.believable) continue;
    expect(Math.abs((report.medianMs / 1000) * sampleRate - delay)).toBeLessThanOrEqual(1);
    await page.sees(/Set Drum machine 12\.8 ms earlier: change its offset in the leader, or on the device itself/);
    return stop();
  }
  throw new Error(`No reliable take: ${JSON.stringify((await measured()).at(-1)?.lines[0])}`);
}
