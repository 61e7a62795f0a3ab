import { mkdtempSync, readdirSync, renameSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import pino from 'pino';
import { Builder, By, error, until, type WebDriver, type WebElement } from 'selenium-webdriver';
import { Options, ServiceBuilder, type Driver } from 'selenium-webdriver/chrome';
import { openDoor } from '../server/src/network/door';
import { startNetwork } from '../server/src/network/start';
import { createApp } from '../server/src/app';
import { listen, shutDown } from '../server/src/listen';

const WEB_ROOT = join(process.cwd(), 'web/dist');
const PATIENCE_MS = 30_000;
const LOOK_EVERY_MS = 60;

export interface Page {
  driver: WebDriver;
  url: string;
  /** Where peers invite it. */
  networkPort: number;
  /** Opens an address of the app, and waits until it is drawn. */
  open(path: string): Promise<void>;
  /** Opens an address with nothing stored, as on a first visit. */
  afresh(path: string): Promise<void>;
  /** The element with a role's name, by its text, label or test of both; waits for it. */
  button(name: string): Promise<WebElement>;
  press(name: string): Promise<void>;
  /** Goes to one of the five views by its link. */
  go(view: string): Promise<void>;
  /** Opens a tab whose name begins so. */
  tab(name: string): Promise<void>;
  /** Waits until the page shows a text, which may be a pattern; gives all the text of the page then. */
  sees(text: string | RegExp, withinMs?: number): Promise<string>;
  /** Errors that the page wrote to its console. */
  complaints(): Promise<string[]>;
  picture(file: string): Promise<void>;
  /** The tab dies, and another takes its place; gives what an expression was just before. */
  crash<T>(expression: string): Promise<T>;
  /** Where files are saved from now on; `next` waits for one that ends like that, and gives its path. */
  downloads(): Promise<{ next(ending: string): Promise<string> }>;
  close(): Promise<void>;
}

/** A fresh browser with an empty profile on the built app. */
export async function openBrowser({
  flags = [],
  width = 1280,
  height = 800,
  standIn = false,
  name = 'Boathouse',
}: {
  flags?: string[];
  width?: number;
  height?: number;
  /** Whether the stand-in of a tablet is in the network. */
  standIn?: boolean;
  /** As others in the network see it. */
  name?: string;
} = {}): Promise<Page> {
  const { url, networkPort, end } = await serveApp(name, standIn);
  const profile = mkdtempSync(join(tmpdir(), 'metronomo-profile-'));
  const options = new Options();
  options.addArguments(
    '--headless',
    '--no-sandbox',
    '--disable-gpu',
    '--disable-quic',
    '--no-first-run',
    '--disable-background-networking',
    '--disable-component-update',
    '--disable-sync',
    '--hide-scrollbars',
    `--user-data-dir=${profile}`,
    `--window-size=${width},${height}`,
    ...flags,
  );
  options.setChromeBinaryPath('/usr/bin/chromium');
  options.setLoggingPrefs({ browser: 'ALL' });
  const driver = await new Builder()
    .forBrowser('chrome')
    .setChromeOptions(options)
    .setChromeService(new ServiceBuilder('/usr/bin/chromedriver'))
    .build();
  const devTools = (name: string, parameters: object) => (driver as Driver).sendDevToolsCommand(name, parameters);
  await devTools('Emulation.setDeviceMetricsOverride', {
    width,
    height,
    deviceScaleFactor: 1,
    mobile: false,
  });
  const found = (by: By, what: string) =>
    driver.wait(until.elementLocated(by), PATIENCE_MS, `no ${what}`, LOOK_EVERY_MS);
  const button = (name: string) =>
    found(By.xpath(`//button[normalize-space()=${quoted(name)} or @aria-label=${quoted(name)}]`), `button "${name}"`);
  const click = async (find: () => Promise<WebElement>, name: string) => {
    const press = async () => {
      const element = await find();
      await driver.wait(until.elementIsEnabled(element), PATIENCE_MS, `"${name}" stays disabled`);
      await element.click();
    };
    // The page may draw it anew between finding and pressing it; a person would press the new one.
    await press().catch((problem: unknown) => {
      if (problem instanceof error.StaleElementReferenceError) return press();
      throw problem;
    });
  };
  const open = async (path: string) => {
    await driver.get(url + path);
    await driver.wait(until.elementLocated(By.css('main')), PATIENCE_MS, 'the app was not drawn');
  };
  const complained: string[] = [];
  return {
    driver,
    url,
    networkPort,
    open,
    async afresh(path) {
      // From elsewhere, or the app itself would hold what is to be deleted.
      await driver.get('about:blank');
      await devTools('Storage.clearDataForOrigin', { origin: url, storageTypes: 'indexeddb,local_storage' });
      await open(path);
    },
    button,
    press: (name) => click(() => button(name), name),
    go: (view) => click(() => found(By.css(`a[href="/${view}"]`), `link to ${view}`), view),
    tab: (name) =>
      click(
        () => found(By.xpath(`//*[@role="tab" and starts-with(normalize-space(), "${name}")]`), `tab "${name}"`),
        name,
      ),
    async sees(text, withinMs = PATIENCE_MS) {
      // Not by `getText`, which works through every element in script: the page would be busy with it most of the time.
      const shown = () => driver.executeScript<string>('return document.body.innerText');
      const fits = (all: string) => (typeof text === 'string' ? all.includes(text) : text.test(all));
      await driver
        .wait(
          async () => fits(await shown().catch(() => '')),
          withinMs,
          `the page never showed ${String(text)}`,
          LOOK_EVERY_MS,
        )
        .catch(async (problem: unknown) => {
          throw new Error(`${String(problem)}\n--- it shows:\n${await shown()}`);
        });
      return shown();
    },
    async complaints() {
      const entries = await driver.manage().logs().get('browser');
      // A browser tells each only once.
      complained.push(...entries.filter(({ level }) => level.name === 'SEVERE').map(({ message }) => message));
      return complained;
    },
    async crash<T>(expression: string) {
      const dying = await driver.getWindowHandle();
      const value = await driver.executeScript<T>(`return ${expression}`);
      await driver.switchTo().newWindow('tab');
      const other = await driver.getWindowHandle();
      await driver.switchTo().window(dying);
      // The answer of a tab that is dead may never come.
      const crashed = devTools('Page.crash', {}).catch(() => undefined);
      await Promise.race([crashed, new Promise((resolve) => setTimeout(resolve, 1500))]);
      await driver.switchTo().window(other);
      return value;
    },
    async downloads() {
      const folder = mkdtempSync(join(tmpdir(), 'metronomo-files-'));
      await devTools('Browser.setDownloadBehavior', { behavior: 'allow', downloadPath: folder });
      let count = 0;
      return {
        async next(ending) {
          const fresh = () => readdirSync(folder).find((name) => name.endsWith(ending) && !name.startsWith('kept '));
          await driver.wait(
            () => Promise.resolve(fresh() !== undefined),
            PATIENCE_MS,
            `nothing like ${ending} was saved`,
          );
          const name = fresh() ?? '';
          // The next one may have the same name.
          const kept = join(folder, `kept ${++count} ${name}`);
          renameSync(join(folder, name), kept);
          return kept;
        },
      };
    },
    async picture(file) {
      writeFileSync(file, await driver.takeScreenshot(), 'base64');
    },
    async close() {
      await driver.quit();
      await end();
      rmSync(profile, { recursive: true, force: true });
    },
  };
}

/** The server as it is, on ports of its own, with nobody found but on this computer. */
async function serveApp(
  name: string,
  standIn: boolean,
): Promise<{ url: string; networkPort: number; end(): Promise<void> }> {
  const logger = pino({ level: 'silent' });
  const network = await startNetwork(
    { name, hosts: ['127.0.0.1'], port: 0, look: false, alsoTypes: [], standIn },
    logger,
  );
  if (!network.network) throw new Error(network.problem ?? 'no network');
  const { server, url } = await listen(
    createApp({ webRoot: WEB_ROOT, version: 'test', logger, network }),
    0,
    '127.0.0.1',
  );
  const door = openDoor(server, network.network, network.guard, logger);
  return {
    url,
    networkPort: network.network.port,
    async end() {
      door.close();
      await network.close();
      await shutDown(server);
    },
  };
}

function quoted(text: string): string {
  return `"${text}"`;
}
