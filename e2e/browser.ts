import { mkdtempSync, readdirSync, renameSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import pino from 'pino';
import { Builder, By, error, until, type WebDriver, type WebElement } from 'selenium-webdriver';
import { Options, ServiceBuilder, type Driver } from 'selenium-webdriver/chrome';
import { openDoor } from '../server/src/network/door';
import { openRemoteDoor } from '../server/src/remote/remote-door';
import { startNetwork } from '../server/src/network/start';
import { createApp } from '../server/src/app';
import { listen, shutDown } from '../server/src/listen';

const WEB_ROOT = join(process.cwd(), 'web/dist');
const PATIENCE_MS = 30_000;
/** How much longer everything may take on a machine whose host gives most of its time to others. */
const SLOWER = 3;
const LOOK_EVERY_MS = 100;
/** Of a tab, whose panel may have to be loaded. */
const PANEL_OF = `const [one] = arguments; return one.role === 'tab' ? one.getAttribute('aria-controls') : null;`;
const PANEL_IS_THERE = `const panel = document.getElementById(arguments[0]); return !panel || panel.childElementCount > 0;`;

export interface Page {
  driver: WebDriver;
  url: string;
  /** UDP port where peers invite it. */
  networkPort: number;
  /** Opens a path of the app and waits until it is rendered. */
  open(path: string): Promise<void>;
  /** Opens a path with empty storage, as on a first visit. */
  afresh(path: string): Promise<void>;
  /** Waits for a button by its text or aria-label. */
  button(name: string): Promise<WebElement>;
  press(name: string): Promise<void>;
  /** Switches to one of the five views by its link. */
  go(view: string): Promise<void>;
  /** Opens the tab whose name starts with this. */
  tab(name: string): Promise<void>;
  /** Opens the part of the page that is folded under this name. */
  unfold(name: string): Promise<void>;
  /** Waits until the page shows a text or matches a pattern; returns the page's whole text. */
  sees(text: string | RegExp, withinMs?: number): Promise<string>;
  /** Waits until a measurement has run for at least so many seconds, however late the page is looked at. */
  hasMeasured(seconds: number, withinMs?: number): Promise<void>;
  /** Errors the page wrote to its console. */
  complaints(): Promise<string[]>;
  /** All console warnings and errors so far. */
  warnings(): Promise<string[]>;
  picture(file: string): Promise<void>;
  /** Crashes the tab and opens another; returns the value of an expression just before. */
  crash<T>(expression: string): Promise<T>;
  /** Redirects downloads; `next` waits for a file with this ending and returns its path. */
  downloads(): Promise<{ next(ending: string): Promise<string> }>;
  /** The server ends; the page stays open. */
  loseServer(): Promise<void>;
  /** Another server at the same address. */
  serveAgain(): Promise<void>;
  /** Ends the browser as a power cut would; the page is closed by that. */
  kill(): Promise<void>;
  close(): Promise<void>;
}

function environment(): Record<string, string> {
  return Object.fromEntries(Object.entries(process.env).filter((one): one is [string, string] => one[1] !== undefined));
}

/** A fresh browser with an empty profile on the built app. */
export async function openBrowser({
  flags = [],
  width = 1280,
  height = 800,
  standIn = false,
  name = 'Boathouse',
  audioServer = null,
  profile = null,
  port = 0,
  calm = true,
  webRoot = WEB_ROOT,
}: {
  flags?: string[];
  width?: number;
  height?: number;
  /** Whether the stand-in tablet is on the network. */
  standIn?: boolean;
  /** Name shown to peers. */
  name?: string;
  /** Environment of an audio server and a screen: real audio is played and captured, in a window. */
  audioServer?: Record<string, string> | null;
  /** A folder that outlives the browser, for a second one to find. */
  profile?: string | null;
  /** Of the server; any free one by default. */
  port?: number;
  /** With less motion, unless that is looked at: drawing it takes a third of what a page needs while it plays. */
  calm?: boolean;
  /** Folder of the built interface. */
  webRoot?: string;
} = {}): Promise<Page> {
  let server: { url: string; networkPort: number; end(): Promise<void> } | null = await serveApp(
    name,
    standIn,
    port,
    webRoot,
  );
  const { url, networkPort } = server;
  const folder = profile ?? mkdtempSync(join(tmpdir(), 'metronomo-profile-'));
  const options = new Options();
  options.addArguments(
    ...(audioServer
      ? ['--use-fake-ui-for-media-stream', '--autoplay-policy=no-user-gesture-required']
      : ['--headless']),
    '--no-sandbox',
    '--disable-gpu',
    '--disable-quic',
    '--no-first-run',
    '--disable-background-networking',
    '--disable-component-update',
    '--disable-sync',
    '--hide-scrollbars',
    `--user-data-dir=${folder}`,
    `--window-size=${width},${height}`,
    ...(calm ? ['--force-prefers-reduced-motion'] : []),
    ...flags,
  );
  options.setChromeBinaryPath('/usr/bin/chromium');
  options.setLoggingPrefs({ browser: 'ALL' });
  const driver = await new Builder()
    .forBrowser('chrome')
    .setChromeOptions(options)
    .setChromeService(new ServiceBuilder('/usr/bin/chromedriver').setEnvironment({ ...environment(), ...audioServer }))
    .build();
  const { wait } = driver;
  driver.wait = ((condition: never, timeoutMs = PATIENCE_MS, ...rest: never[]) =>
    wait.call(driver, condition, timeoutMs * SLOWER, ...rest)) as typeof wait;
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
      const panel = await driver.executeScript<string | null>(PANEL_OF, element);
      await element.click();
      if (panel === null) return;
      const isThere = () => driver.executeScript<boolean>(PANEL_IS_THERE, panel);
      await driver.wait(isThere, PATIENCE_MS, `"${name}" stays empty`);
    };
    // The element may be re-rendered between finding and clicking it: retry once.
    await press().catch((problem: unknown) => {
      if (problem instanceof error.StaleElementReferenceError) return press();
      throw problem;
    });
  };
  const open = async (path: string) => {
    await driver.get(url + path);
    await driver.wait(
      until.elementLocated(By.css('main[aria-busy="false"] > h1 ~ *')),
      PATIENCE_MS,
      'the app didn’t start',
    );
  };
  const logged: { level: string; message: string }[] = [];
  /** The driver returns each log entry only once. */
  const readConsole = async () => {
    const entries = await driver.manage().logs().get('browser');
    logged.push(...entries.map(({ level, message }) => ({ level: level.name, message })));
  };
  return {
    driver,
    url,
    networkPort,
    open,
    async afresh(path) {
      // Leave the app first, or it would hold the databases open.
      await driver.get('about:blank');
      await devTools('Storage.clearDataForOrigin', { origin: url, storageTypes: 'indexeddb,local_storage' });
      await open(path);
    },
    button,
    press: (name) => click(() => button(name), name),
    async go(view) {
      const from = await driver.executeScript<string>(
        `window.viewBefore = document.querySelector('main > h1 ~ *'); return location.pathname`,
      );
      await click(() => found(By.css(`a[href="/${view}"]`), `link to ${view}`), view);
      // The view before stays until the next one is loaded.
      const isNew = `return document.querySelector('main > h1 ~ *') !== window.viewBefore`;
      if (!from.startsWith(`/${view}`))
        await driver.wait(() => driver.executeScript<boolean>(isNew), PATIENCE_MS, `${view} was not drawn`);
    },
    tab: (name) =>
      click(
        () => found(By.xpath(`//*[@role="tab" and starts-with(normalize-space(), "${name}")]`), `tab "${name}"`),
        name,
      ),
    async unfold(name) {
      const summary = await found(By.xpath(`//summary[contains(normalize-space(), "${name}")]`), `fold "${name}"`);
      const isOpen = 'return arguments[0].parentElement.open';
      if (!(await driver.executeScript<boolean>(isOpen, summary))) await summary.click();
    },
    async sees(text, withinMs = PATIENCE_MS) {
      // Not `getText`, which walks every element in script and would keep the page busy.
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
    async hasMeasured(seconds, withinMs = 2 * PATIENCE_MS) {
      const reached = async () => {
        const shown = await driver.executeScript<string>('return document.body.innerText').catch(() => '');
        return Number(/Measuring: (\d+) of/.exec(shown)?.[1] ?? -1) >= seconds;
      };
      await driver.wait(reached, withinMs, `nothing was measured for ${seconds} s`, LOOK_EVERY_MS);
    },
    async complaints() {
      await readConsole();
      return logged.filter(({ level }) => level === 'SEVERE').map(({ message }) => message);
    },
    async warnings() {
      await readConsole();
      return logged.map(({ message }) => message);
    },
    async crash<T>(expression: string) {
      const dying = await driver.getWindowHandle();
      const value = await driver.executeScript<T>(`return ${expression}`);
      await driver.switchTo().newWindow('tab');
      const other = await driver.getWindowHandle();
      await driver.switchTo().window(dying);
      // A crashed tab may never reply.
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
          // The next file may have the same name.
          const kept = join(folder, `kept ${++count} ${name}`);
          renameSync(join(folder, name), kept);
          return kept;
        },
      };
    },
    async picture(file) {
      writeFileSync(file, await driver.takeScreenshot(), 'base64');
    },
    async loseServer() {
      await server?.end();
      server = null;
    },
    async serveAgain() {
      server = await serveApp(name, standIn, Number(new URL(url).port), webRoot);
    },
    async kill() {
      process.kill((await driver.getCapabilities()).get('goog:processID') as number, 'SIGKILL');
      await driver.quit().catch(() => undefined);
      await server?.end();
    },
    async close() {
      await driver.quit();
      await server?.end();
      if (!profile) rmSync(folder, { recursive: true, force: true });
    },
  };
}

/** The real server on its own ports, reachable on this computer only. */
async function serveApp(
  name: string,
  standIn: boolean,
  port: number,
  webRoot: string,
): Promise<{ url: string; networkPort: number; end(): Promise<void> }> {
  const logger = pino({ level: 'silent' });
  const network = await startNetwork(
    { name, hosts: ['127.0.0.1'], port: 0, look: false, alsoTypes: [], standIn },
    logger,
  );
  if (!network.network) throw new Error(network.problem ?? 'no network');
  const { server, url } = await listen(createApp({ webRoot, version: 'test', logger, network }), port, '127.0.0.1');
  const door = openDoor(server, network.network, network.guard, logger);
  const remoteDoor = openRemoteDoor(server, network.guard, logger);
  return {
    url,
    networkPort: network.network.port,
    async end() {
      door.close();
      remoteDoor.close();
      await network.close();
      await shutDown(server);
    },
  };
}

function quoted(text: string): string {
  return `"${text}"`;
}
