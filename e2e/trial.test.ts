import { mkdtempSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { By, Key } from 'selenium-webdriver';
import { BOATHOUSE } from '../core/src/standin/boathouse';
import { violations } from './axe';
import { openBrowser, type Page } from './browser';
import { put, stored, withLoop, withMidi } from './page-stand-ins';
import { rigFile } from './rig-file';

interface StoredRig {
  id: string;
  leaders: string[];
  gear: { id: string; sockets: unknown; audioOuts: unknown[] }[];
  cables: { to: { gearId: string } }[];
}
interface StoredTake {
  status: string;
  ledBy?: string;
  plan?: { question: string; startedMs: number[] };
}

let page: Page;
beforeAll(async () => {
  page = await openBrowser();
  await page.open('/rig');
  await page.sees('Boathouse');
});
afterAll(() => page.close());

const demoOf = async () => (await stored<StoredRig>(page.driver, 'rigs')).find(({ id }) => id === 'boathouse')!;
const tick = (name: string) => page.driver.findElement(By.xpath(`//label[contains(., "${name}")]/input`)).click();

test('a keyboard leads for a clock take, a take of the followers and four starts; the rig stays as it is', async () => {
  const rig = await demoOf();
  // Two followers are analyzed sooner than eleven.
  const gear = rig.gear.map((one) =>
    ['porch', 'heron'].includes(one.id) ? one : { ...one, returnChannel: null, audioOuts: [] },
  );
  await put(page.driver, 'rigs', { ...rig, gear });
  await page.open('/run');
  await page.press('Incoming sync');
  await page.driver.findElement(By.css('input[aria-label="Tempo of Vole keyboard"]')).sendKeys(Key.END);
  await page.go('bench');
  await page.press('Who should lead?');
  await page.sees('Nothing measured yet');
  await tick('Hub');
  await page.driver.findElement(By.xpath('//option[starts-with(., "On the port to")]')).click();
  await page.press('Start trial');
  await page.sees('1 of 1: Vole keyboard, clock, 20 s, then 20 s with traffic');
  await page.sees('1 of 1: Vole keyboard, followers', 90_000);
  expect(await page.sees('Vole keyboard')).not.toMatch(/Hub lost/);
  await page.sees('1 of 1: Vole keyboard, starts', 60_000);
  await page.sees(/Only one leader measured so far: Vole keyboard 0\.\d\d ms/, 90_000);
  const { crystalPpm } = BOATHOUSE.gear!.find(({ kind }) => kind === 'keyboard') as { crystalPpm: number };
  const told = await page.sees(/Start-to-start spread\s+\S.*, \d+\.\d ms/, 120_000);
  expect(told).toMatch(/Clock jitter with notes\s+\d\.\d\d ms/);
  expect(Math.abs(Number(/Clock drift\s+\+(\d+\.\d) ppm/.exec(told)?.[1]) - crystalPpm)).toBeLessThan(15);
  const takes = await stored<StoredTake>(page.driver, 'takes');
  expect(takes.map(({ ledBy, status }) => [ledBy, status])).toEqual([
    ['vole', 'done'],
    ['vole', 'done'],
  ]);
  expect(takes.find(({ plan }) => plan?.question === 'starts')?.plan?.startedMs).toHaveLength(4);
  expect((await demoOf()).leaders).toEqual(rig.leaders);
  expect(await violations(page)).toEqual([]);
});

test('a trial can be cancelled, and the hub leads again', async () => {
  await tick('Hub');
  await tick('Vole keyboard');
  await page.press('Start trial');
  await page.sees('1 of 1: Hub, followers', 30_000);
  await page.press('Cancel trial');
  await page.sees(/Followers\s+Stopped/, 30_000);
  await page.driver.wait(
    async () => (await page.driver.findElements(By.xpath('//button[.="Cancel trial"]'))).length === 0,
    30_000,
    'it goes on',
  );
  expect(await page.sees('Only one leader measured')).not.toMatch(/The operation was aborted|Cancelled/);
});

test('the reasons are given beside the leader in the rig', async () => {
  await page.go('rig');
  await page.press('Leader');
  await page.sees(/Vole keyboard[\s\S]*Measured: follower that varies most: [\s\S]*clock jitter with notes: \d/);
});

test('no console errors', async () => expect(await page.complaints()).toEqual([]));

describe('real gear, played by its musician', () => {
  let own: Page;
  beforeAll(async () => {
    own = await openBrowser({ flags: ['--use-fake-ui-for-media-stream', '--use-fake-device-for-media-stream'] });
    await withMidi(own.driver);
    await withLoop(own.driver, { cableMs: 4.5, latencyMs: 23.25 });
    await own.open('/rig');
    const file = rigFile(mkdtempSync(join(tmpdir(), 'metronomo-trial-')), 'Attic', 'midi:attic-out', true, {
      returnChannel: 1,
    });
    await own.driver.findElement(By.css('input[aria-label="Open rig file"]')).sendKeys(file);
    await own.sees('Opened ');
    await own.press('Ports');
    await own.press('Connect MIDI ports');
    await own.sees('Attic in');
    await own.driver.findElement(By.xpath('//option[normalize-space()="system default input"]')).click();
    await own.sees('2 channels');
  });
  afterAll(() => own.close());

  /** What they do when asked: a start and clock at 160 BPM, or a stop. */
  const DOES = {
    play: `window.began = performance.now();
      let tick = 0;
      standIn.arrive([0xfa], began);
      window.clock = setInterval(() => {
        for (; began + 1 + tick * 15.625 <= performance.now(); tick++) standIn.arrive([0xf8], began + 1 + tick * 15.625);
      }, 4);`,
    stop: `clearInterval(window.clock); standIn.arrive([0xfc]);`,
  };

  test('each prompt says what to press, and the trial goes on by itself when it was pressed', async () => {
    await own.go('bench');
    await own.press('Who should lead?');
    // What is still being drawn may move away under the pointer.
    const leavesOutHub = async () => {
      const box = await own.driver.findElement(By.xpath('//label[contains(., "Hub")]/input'));
      if (await box.isSelected()) await box.click();
      return !(await box.isSelected());
    };
    await own.driver.wait(leavesOutHub, 20_000, 'the hub still takes part');
    await own.press('Start trial');
    const pressed: string[] = [];
    await own.driver.wait(
      async () => {
        const seen = await own.sees('');
        const [, asked] = /Press (play|stop) on Far\./.exec(seen) ?? [];
        if ((asked === 'play' || asked === 'stop') && asked !== pressed.at(-1)) {
          pressed.push(asked);
          await own.driver.executeScript(DOES[asked]);
        }
        return !seen.includes('Cancel trial');
      },
      300_000,
      'the trial never ended',
    );
    // One run for its clock and the followers, and four starts.
    expect(pressed).toEqual(Array.from({ length: 5 }, () => ['play', 'stop']).flat());
    const told = await own.sees(/Only one leader measured so far: Far \d+\.\d\d ms \(Box\)/);
    expect(told).toMatch(/Start-to-start spread\s+Box, \d+\.\d ms/);
    expect(told).toMatch(/Clock jitter with notes\s+not measured/);
  });

  test('no console errors', async () => expect(await own.complaints()).toEqual([]));
});
