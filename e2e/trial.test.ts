import { By, Key } from 'selenium-webdriver';
import { BOATHOUSE } from '../core/src/standin/boathouse';
import { violations } from './axe';
import { openBrowser, type Page } from './browser';
import { put, stored } from './page-stand-ins';

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
  await page.press('Start trial');
  await page.sees('1 of 1: Vole keyboard, clock, 20 s');
  await page.sees('1 of 1: Vole keyboard, followers', 60_000);
  expect(await page.sees('Vole keyboard')).not.toMatch(/Hub lost/);
  await page.sees('1 of 1: Vole keyboard, starts', 60_000);
  await page.sees(/Only one leader measured so far: Vole keyboard 0\.\d\d ms/, 90_000);
  const { crystalPpm } = BOATHOUSE.gear!.find(({ kind }) => kind === 'keyboard') as { crystalPpm: number };
  const told = await page.sees(/Start-to-start spread\s+\S.*, \d+\.\d ms/, 120_000);
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
  await page.sees(
    /Vole keyboard[\s\S]*Measured: follower that varies most: [\s\S]*Not measured: clock jitter with notes\./,
  );
});

test('no console errors', async () => expect(await page.complaints()).toEqual([]));
