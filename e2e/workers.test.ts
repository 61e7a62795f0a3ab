import { appendFileSync, cpSync, mkdtempSync, statSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { By, until } from 'selenium-webdriver';
import type { Driver } from 'selenium-webdriver/chrome';
import { violations } from './axe';
import { openBrowser, type Page } from './browser';
import { DevTools } from './dev-tools';
import { stored, withMidi, withMortalWorkers } from './page-stand-ins';

interface StoredTake {
  startedAt: number;
  status: string;
  ending?: string;
  frames: number;
  sampleRate: number;
  lines: { report: { medianMs: number } | null }[];
}
type Sent = { bytes: number[]; atMs: number; calledMs: number }[];

const kill = (page: Page, name: string) =>
  page.driver.executeScript<number>(`workers.${name}.terminate(); return performance.now()`);
const option = (page: Page, words: string) =>
  page.driver.wait(async () => {
    const [found] = await page.driver.findElements(By.xpath(`//option[normalize-space()="${words}"]`));
    await found?.click();
    return found !== undefined;
  }, 10_000);

describe('a hub that is lost while it plays to a MIDI port', () => {
  let page: Page;
  beforeAll(async () => {
    page = await openBrowser();
    await withMidi(page.driver);
    await withMortalWorkers(page.driver);
    await page.open('/rig');
    await option(page, 'My studio');
    await page.press('Ports');
    await page.press('Connect MIDI ports');
    await page.press('Add gear');
    await page.press('Sampler');
    await option(page, 'Attic in');
    await page.unfold('Advanced');
    await page.driver.findElement(By.xpath('//label[normalize-space()="Song position"]/input')).click();
    await page.driver.findElement(By.css('a[href="/run"]')).click();
  });
  afterAll(() => page.close());
  const sent = () => page.driver.executeScript<Sent>('return standIn.sent');
  const ticks = (all: Sent) => all.filter(({ bytes }) => bytes[0] === 0xf8).map(({ atMs }) => atMs);

  test('is restarted; gear is stopped and continued on the same grid within two seconds', async () => {
    await page.press('Play');
    await page.driver.wait(async () => (await sent()).length > 60, 15_000);
    const lostMs = await kill(page, 'hub');
    await page.sees('The hub stopped. It was restarted, and playback resumed.');
    const resumed = async () => {
      const all = await sent();
      const from = all.findIndex(({ bytes, calledMs }) => bytes[0] === 0xfb && calledMs > lostMs);
      return from < 0 || all.length < from + 60 ? null : { before: all.slice(0, from), after: all.slice(from) };
    };
    await page.driver.wait(async () => (await resumed()) !== null, 15_000);
    const { before, after } = (await resumed())!;
    expect(before.slice(-2).map(({ bytes }) => bytes[0])).toEqual([0xfc, 0xf2]);
    expect(after[0]!.atMs - lostMs).toBeLessThan(2000);
    const tickMs = 60_000 / 120 / 24;
    const gap = (ticks(after)[0]! - ticks(before).at(-1)!) / tickMs;
    // Restored from the window's last snapshot: to the hundredth of a tick.
    expect(Math.abs(gap - Math.round(gap))).toBeLessThan(0.01);
    // Song position counts sixteenths from the start, where the first tick was.
    const [, low = 0, high = 0] = before.at(-1)!.bytes;
    expect(Math.round((ticks(after)[0]! - ticks(before)[0]!) / tickMs)).toBe(6 * (low + 128 * high));
    expect(await page.complaints()).toEqual([]);
  });

  test('a hub in an endless loop is noticed by its heartbeat, and playback continues', async () => {
    const inside = await DevTools.open(page.driver);
    await page.driver.wait(async () => (await sent()).length > 100, 15_000);
    await page.driver.executeScript('standIn.sent.length = 0');
    await inside.hang('hub');
    await page.sees('The hub stopped responding. It was restarted, and playback resumed.');
    inside.close();
    await page.driver.wait(async () => ticks(await sent()).length > 60, 15_000);
    const all = await sent();
    const from = all.findIndex(({ bytes }) => bytes[0] === 0xfb);
    // Two seconds without an answer, up to half a second until the next question, and the restart.
    expect(all[from]!.atMs - all[0]!.atMs).toBeLessThan(4000);
    expect(ticks(all.slice(from)).length).toBeGreaterThan(24);
  });
});

describe('workers lost during a take', () => {
  let page: Page;
  beforeAll(async () => {
    page = await openBrowser();
    await withMortalWorkers(page.driver);
    await page.open('/bench');
  });
  afterAll(() => page.close());
  const newest = async () =>
    (await stored<StoredTake>(page.driver, 'takes')).sort((a, b) => b.startedAt - a.startedAt)[0]!;

  test.each([
    ['measure', /The analyzer stopped/],
    ['hub', /The hub stopped/],
  ])('%s: the take is kept up to then, says why it is short, and the next one runs', async (name, why) => {
    await page.press('Record take M');
    await page.hasMeasured(6);
    await kill(page, name);
    await page.sees(why, 20_000);
    await page.driver.wait(async () => (await newest()).lines[0]!.report !== null, 30_000, 'it isn’t analyzed');
    const { status, ending, frames, sampleRate, lines } = await newest();
    expect(status).toBe('interrupted');
    expect(ending).toMatch(why);
    expect(frames / sampleRate).toBeGreaterThan(5);
    expect(lines[0]!.report).not.toBeNull();
    // All is idle again, and followers lock.
    await page.button('Record take M');
    await page.go('run');
    await page.press('Play');
    await page.sees('11 of 11 locked', 30_000);
    await page.press('Stop');
    await page.go('bench');
  });

  const ask = (question: string) =>
    page.driver.findElement(By.xpath(`//button[@role="tab" and normalize-space()="${question}"]`)).click();

  test('a chase whose hub is lost keeps the starts so far, and says why it is short', async () => {
    await ask('How fast does timecode lock?');
    await page.press('Measure lock time');
    await page.hasMeasured(6);
    await kill(page, 'hub');
    await page.sees(/The hub stopped/, 20_000);
    await page.driver.wait(async () => (await newest()).status === 'interrupted', 30_000);
    await page.button('Measure lock time');
  });

  // Moments and losses as drawn by a seeded generator.
  test.each([
    ['Does my gear follow tempo?', 'Start tempo test', 'measure', 5, 'The analyzer stopped'],
    ['Does my gear drift?', 'Measure drift', 'hub', 2, 'The hub stopped'],
    ['How fast does timecode lock?', 'Measure lock time', 'measure', 2, 'The analyzer stopped'],
  ])(
    '%s, %s: with the %s worker lost, the question says so, and can be asked again',
    async (question, begin, ...loss) => {
      const [name, afterS, why] = loss;
      await ask(question);
      await page.press(begin);
      await page.hasMeasured(afterS);
      await kill(page, name);
      await page.sees(why, 20_000);
      await page.driver.wait(async () => (await newest()).status !== 'recording', 30_000);
      await page.press(begin);
      await page.hasMeasured(1);
      await page.press('Finish early');
      await page.button(begin);
    },
  );

  test('a MIDI loop whose hub is lost says so, and can be measured again', async () => {
    await ask('How fast is this MIDI path?');
    await page.press('Send 64 notes');
    await page.hasMeasured(1);
    await kill(page, 'hub');
    await page.sees('The hub stopped.', 20_000);
    await page.press('Send 64 notes');
    await page.sees(/1\.9\d ms round trip/, 60_000);
  });
});

describe('a server that is gone', () => {
  let page: Page;
  /** A copy, for one test changes it. */
  const webRoot = mkdtempSync(join(tmpdir(), 'metronomo-web-'));
  beforeAll(async () => {
    cpSync(join(process.cwd(), 'web/dist'), webRoot, { recursive: true });
    page = await openBrowser({ webRoot });
    await page.open('/run');
  });
  afterAll(() => page.close());

  test('a view that couldn’t be loaded opens at the next try, without a reload', async () => {
    const block = (urls: string[]) => (page.driver as Driver).sendDevToolsCommand('Network.setBlockedURLs', { urls });
    await (page.driver as Driver).sendDevToolsCommand('Network.enable', {});
    // A view that this browser doesn't keep yet.
    await (page.driver as Driver).sendDevToolsCommand('Network.setBypassServiceWorker', { bypass: true });
    await block(['*logbook-view*']);
    await page.open('/logbook');
    await page.sees('This view can’t be loaded');
    await page.press('Try again');
    await page.sees('This view can’t be loaded');
    await block([]);
    await page.press('Try again');
    await page.sees('No entries yet');
    await block(['*bench-view*']);
    await page.open('/bench');
    await page.sees('This view can’t be loaded');
    await block([]);
    await page.go('run');
    await page.go('bench');
    await page.button('Record take M');
    await (page.driver as Driver).sendDevToolsCommand('Network.setBypassServiceWorker', { bypass: false });
    await page.open('/run');
  });

  test('views that were never opened open without it, playback goes on, and a take is recorded', async () => {
    await page.press('Play');
    await page.sees(/11 of 11\s+locked/);
    // Loaded while the page was idle.
    const loaded = () =>
      page.driver.executeScript<number>(
        `return performance.getEntriesByType('resource').filter(({ name }) => /(rig|bench|logbook)-view.*\\.js$/.test(name)).length`,
      );
    await page.driver.wait(async () => (await loaded()) === 3, 20_000, 'views are not loaded');
    await page.driver.executeAsyncScript('navigator.serviceWorker.ready.then(arguments[0])');
    await page.loseServer();
    for (const view of ['Rig', 'Logbook', 'Align', 'Bench']) {
      await page.driver.findElement(By.css(`a[href="/${view.toLowerCase()}"]`)).click();
      await page.sees(/11 of 11\s+locked/);
    }
    await page.press('Record take M');
    await page.hasMeasured(2);
    await page.press('Finish early');
    await page.sees('Take finished early. Everything captured until then is saved.', 30_000);
  });

  test('the app starts without it, cross-origin isolated, and plays; a remote page doesn’t pretend to', async () => {
    await page.open('/run');
    expect(
      await page.driver.executeScript('return [crossOriginIsolated, !!navigator.serviceWorker.controller]'),
    ).toEqual([true, true]);
    await page.press('Play');
    await page.sees(/11 of 11\s+locked/);
    await page.press('Stop');
    await expect(page.driver.get(`${page.url}/remote`)).rejects.toThrow('ERR_CONNECTION_REFUSED');
  });

  test('a newer version waits until the music stops', async () => {
    await page.serveAgain();
    await page.open('/run');
    await page.press('Play');
    await page.sees(/11 of 11\s+locked/);
    // As after an installation: the same files, and another list of them.
    appendFileSync(join(webRoot, 'sw.js'), '\n// newer');
    await page.driver.executeScript('navigator.serviceWorker.getRegistration().then((one) => one.update())');
    await page.sees('A newer version of Metronomo is ready.');
    expect(await violations(page)).toEqual([]);
    expect(await (await page.button('Update')).isEnabled()).toBe(false);
    await page.press('Stop');
    await page.press('Update');
    await page.driver.wait(
      async () =>
        !(await page.driver.executeScript<string>('return document.body.innerText')).includes('newer version'),
      20_000,
    );
    await page.sees('Stopped');
  });
});

describe('storage that runs full', () => {
  let page: Page;
  beforeAll(async () => {
    page = await openBrowser();
    await page.open('/bench');
  });
  afterAll(() => page.close());
  const setQuota = (quotaSize?: number) =>
    (page.driver as Driver).sendDevToolsCommand('Storage.overrideQuotaForOrigin', {
      origin: page.url,
      ...(quotaSize !== undefined && { quotaSize }),
    });

  test('during a take: it ends with what was captured, and its result is shown', async () => {
    await setQuota();
    await page.afresh('/bench');
    // Longer than the half minute after which the browser looks at its quota again.
    await option(page, '16 bars');
    await page.press('Record take M');
    await page.hasMeasured(2);
    await setQuota(100_000);
    await page.sees('Browser storage is full, so the take ended early. Free some space', 60_000);
    await page.sees(/Median landing\s+12\.\d ms late/);
  });

  test('a reload starts the app; the take is listed, exported and deleted, and then there is room again', async () => {
    await page.driver.navigate().refresh();
    await page.sees('Stopped');
    await page.go('logbook');
    await page.sees('The page was closed during this take.');
    const { next } = await page.downloads();
    await page.press('Import and export');
    await page.press('Export the demo (ZIP)');
    expect(statSync(await next('.zip')).size).toBeGreaterThan(1e6);
    await page.press('History');
    const remove = By.css('button[aria-label^="Delete"]');
    await page.driver.wait(until.elementLocated(remove), 10_000);
    await page.driver.findElement(remove).click();
    await page.driver.wait(async () => (await stored(page.driver, 'takes')).length === 0, 10_000, 'it isn’t deleted');
    await setQuota();
  });
});
