import { By, until } from 'selenium-webdriver';
import type { Driver } from 'selenium-webdriver/chrome';
import { violations } from './axe';
import { openBrowser, type Page } from './browser';
import { smallTargets } from './targets';

/** What a sheet may change. */
const COLORS = ['color-contrast', 'link-in-text-block'];
const VIEWS = ['rig', 'run', 'bench', 'align', 'logbook'];

let page: Page;
beforeAll(async () => {
  page = await openBrowser();
  await page.open('/run');
});
afterAll(() => page.close());

const size = (width: number, height: number, touch = false) =>
  (page.driver as Driver)
    .sendDevToolsCommand('Emulation.setDeviceMetricsOverride', { width, height, deviceScaleFactor: 1, mobile: false })
    .then(() => (page.driver as Driver).sendDevToolsCommand('Emulation.setTouchEmulationEnabled', { enabled: touch }));
/** Opens each panel of a view in turn. */
async function eachPanel(view: string, look: (panel: string) => Promise<void>): Promise<void> {
  await page.go(view);
  const tabs = async () => page.driver.findElements(By.css('main [role=tab]'));
  const names = await Promise.all((await tabs()).map((tab) => tab.getText()));
  if (names.length === 0) await look('');
  for (const name of names) {
    await page.press(name);
    await look(name);
  }
}

/** What is wrong with each panel of a view; nothing is left out because of what came before. */
async function faults(view: string, least: number): Promise<Record<string, string[]>> {
  const found: Record<string, string[]> = {};
  await eachPanel(view, async (panel) => {
    const wide = await page.driver.executeScript<boolean>(`
      const view = document.querySelector('main');
      return document.documentElement.scrollWidth > innerWidth || view.scrollWidth > view.clientWidth;`);
    const all = [...(await violations(page)), ...(await smallTargets(page, least)), ...(wide ? ['too wide'] : [])];
    if (all.length > 0) found[panel] = all;
  });
  return found;
}

test.each(VIEWS)('every panel of %s passes axe at 1280 pixels, and nothing in it is too small to hit', async (view) => {
  await size(1280, 800);
  expect(await faults(view, 24)).toEqual({});
});

test.each(VIEWS)('every panel of %s passes axe at 390 pixels, and all in it can be hit by finger', async (view) => {
  await size(390, 844, true);
  expect(await page.driver.executeScript('return matchMedia("(pointer: coarse)").matches')).toBe(true);
  expect(await faults(view, 44)).toEqual({});
});

test.each(VIEWS)('every panel of %s passes axe on the dark sheet', async (view) => {
  await size(1280, 800);
  await page.driver.executeScript('document.documentElement.dataset.sheet = "night"');
  const found: Record<string, string[]> = {};
  await eachPanel(view, async (panel) => {
    const all = await violations(page, COLORS);
    if (all.length > 0) found[panel] = all;
  });
  await page.driver.executeScript('document.documentElement.dataset.sheet = "paper"');
  expect(found).toEqual({});
});

/** Where each is opened, by which button, and by which it is left. */
const QUESTIONS = [
  ['run', 'Help', 'Close help'],
  ['rig', 'Reset demo', 'Cancel'],
  ['logbook', 'Help', 'Close help'],
] as const;

test.each([
  [1280, 800, 24],
  [390, 844, 44],
])('help and questions pass axe at %i by %i pixels, and can be answered', async (width, height, least) => {
  await size(width, height, least > 24);
  const found: Record<string, string[]> = {};
  for (const [view, open, leave] of QUESTIONS) {
    await page.go(view);
    await page.press(open);
    await page.button(leave);
    const all = [...(await violations(page)), ...(await smallTargets(page, least))];
    if (all.length > 0) found[`${view}: ${open}`] = all;
    await page.press(leave);
  }
  expect(found).toEqual({});
});

test('the main button of every question is in sight at 1280 by 800 pixels', async () => {
  await size(1280, 800);
  const covered: string[] = [];
  await eachPanel('bench', async (panel) => {
    const isCovered = await page.driver.executeScript<boolean>(`
      const isSeen = (one) => {
        const { x, y, width, height } = one.getBoundingClientRect();
        return one.contains(document.elementFromPoint(x + width / 2, y + height - 1));
      };
      return ![...document.querySelectorAll('main button.bg-ink')].every(isSeen);`);
    if (isCovered) covered.push(panel);
  });
  expect(covered).toEqual([]);
});

/** Buttons whose words stick out, and tabs that something else covers. */
const CUT_OR_COVERED = `
  const shown = (kind) => [...document.querySelectorAll(kind)].filter((one) => one.checkVisibility());
  const isCovered = (one) => {
    one.scrollIntoView({ block: 'nearest' });
    const { x, y, width, height } = one.getBoundingClientRect();
    return !one.contains(document.elementFromPoint(x + width / 2, y + height / 2));
  };
  return [
    ...shown('button').filter((one) => one.scrollWidth > one.clientWidth + 1).map((one) => 'cut: ' + one.textContent),
    ...shown('main [role=tab]').filter(isCovered).map((one) => 'covered: ' + one.textContent),
  ];`;

test.each([
  [1280, 800],
  [820, 1180],
  [390, 844],
])('in a studio without gear, nothing is cut or covered at %i by %i pixels, and each view leads on', async (w, h) => {
  await size(1280, 800);
  await page.go('rig');
  const own = until.elementLocated(By.xpath('//select/option[normalize-space()="My studio"]'));
  await (await page.driver.wait(own, 10_000)).click();
  await page.sees('Common studios');
  await size(w, h);
  const found: Record<string, string[]> = {};
  for (const view of ['set-up', ...VIEWS]) {
    await page.go(view);
    if (view === 'bench') await page.press('How late is my gear?');
    await page.sees(/Connect your ports|Common studios|Add gear in Rig|Record a take/);
    const all = [...(await page.driver.executeScript<string[]>(CUT_OR_COVERED)), ...(await violations(page))];
    if (all.length > 0) found[view] = all;
  }
  expect(found).toEqual({});
});

test('no console errors', async () => expect(await page.complaints()).toEqual([]));
