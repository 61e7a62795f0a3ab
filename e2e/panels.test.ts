import { By } from 'selenium-webdriver';
import type { Driver } from 'selenium-webdriver/chrome';
import { violations } from './axe';
import { openBrowser, type Page } from './browser';
import { smallTargets } from './targets';

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

test.each(VIEWS)('every panel of %s passes axe, and can be hit, at 1280 pixels', async (view) => {
  await size(1280, 800);
  await eachPanel(view, async (panel) => {
    expect({ panel, wrong: await violations(page) }).toEqual({ panel, wrong: [] });
    expect({ panel, small: await smallTargets(page, 24) }).toEqual({ panel, small: [] });
  });
});

test.each(VIEWS)('every panel of %s passes axe, and can be hit by finger, at 390 pixels', async (view) => {
  await size(390, 844, true);
  expect(await page.driver.executeScript('return matchMedia("(pointer: coarse)").matches')).toBe(true);
  await eachPanel(view, async (panel) => {
    expect({ panel, wrong: await violations(page) }).toEqual({ panel, wrong: [] });
    expect({ panel, small: await smallTargets(page, 44) }).toEqual({ panel, small: [] });
    const wide = 'return document.documentElement.scrollWidth > innerWidth';
    expect({ panel, wide: await page.driver.executeScript(wide) }).toEqual({ panel, wide: false });
  });
});

test('no console errors', async () => expect(await page.complaints()).toEqual([]));
