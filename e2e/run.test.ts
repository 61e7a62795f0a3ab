import { mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { writeMidi } from 'midi-file';
import { By, Key } from 'selenium-webdriver';
import { BOATHOUSE } from '../core/src/standin/boathouse';
import { violations } from './axe';
import { openBrowser, type Page } from './browser';
import { stored, withMidi } from './page-stand-ins';
import { rigFile } from './rig-file';
import { sentTicks } from './sent-ticks';

interface StoredRig {
  id: string;
  bpm: number;
  gear: { id: string; triggers: object[]; offsetMs: number }[];
  song: { sections: { name: string; bars: number; bpm: number }[]; tempoFrom: string };
}

interface StoredClock {
  startedAt: number;
  result: { report: { bpm: number; bpmStandardError: number; jitterRmsMs: number; missing: number; extra: number } };
}

const folder = mkdtempSync(join(tmpdir(), 'metronomo-run-'));
const demoOf = async (page: Page) =>
  (await stored<StoredRig>(page.driver, 'rigs')).find(({ id }) => id === 'boathouse')!;
const undo = (page: Page) => page.driver.findElement(By.css('body')).sendKeys(Key.chord(Key.CONTROL, 'z'));
const field = (page: Page, name: string) => page.driver.findElement(By.css(`input[aria-label="${name}"]`));
const valueOf = async (page: Page, name: string) => String(await field(page, name).getAttribute('value'));
const until = (page: Page, what: () => Promise<boolean>, words: string) => page.driver.wait(what, 15_000, words);
const type = (page: Page, name: string, text: string) =>
  field(page, name).sendKeys(Key.chord(Key.CONTROL, 'a'), text, Key.ENTER);

describe('the demo at work', () => {
  let page: Page;
  beforeAll(async () => {
    page = await openBrowser();
    await page.open('/run');
  });
  afterAll(() => page.close());

  /** If the machine stalled for seconds, the hub has stopped, as it should. */
  const roll = async () => {
    const [play] = await page.driver.findElements(By.css('button[aria-label="Play"]'));
    await play?.click();
    await page.sees(/playing/);
  };
  const stop = async () => {
    const [button] = await page.driver.findElements(By.css('button[aria-label="Stop"]'));
    await button?.click();
    await page.sees(/stopped/);
  };

  test('space belongs to what has focus; single-key shortcuts can be switched off', async () => {
    const body = () => page.driver.findElement(By.css('body'));
    const focused = () => page.driver.switchTo().activeElement();
    expect(await page.driver.getTitle()).toBe('Run · Metronomo');
    await page.press('Drift');
    await (await focused()).sendKeys(Key.SPACE);
    // The tab has focus: nothing plays.
    await page.driver.executeScript('document.activeElement.blur()');
    await page.sees('stopped');
    await body().sendKeys(Key.SPACE);
    await page.sees('playing');
    await body().sendKeys(Key.SPACE);
    await page.sees('stopped');
    await body().sendKeys('?');
    await page.sees('Locked means that the device plays');
    await page.press('Shortcuts and theme');
    const setting = () => page.driver.findElement(By.xpath('//label[contains(., "Single-key shortcuts")]/input'));
    await setting().click();
    await page.driver.executeScript('document.activeElement.blur()');
    await body().sendKeys('1');
    expect(await page.driver.getTitle()).toBe('Run · Metronomo');
    await setting().click();
    await page.driver.executeScript('document.activeElement.blur()');
    await body().sendKeys('1');
    await until(page, async () => (await page.driver.getTitle()) === 'Rig · Metronomo', 'the shortcut is still off');
    await body().sendKeys('2');
    await page.press('Close help');
  });

  test('locating by bar and by timecode while stopped', async () => {
    await type(page, 'Position', '9.3');
    await until(page, async () => (await valueOf(page, 'Position')) === '9.3.00', 'it did not go to bar 9, beat 3');
    // Home belongs to a tab that has focus, which goes to the first one; from anywhere else, to the start of the song.
    await page.press('Song');
    await page.driver.switchTo().activeElement().sendKeys(Key.HOME);
    expect(await page.driver.switchTo().activeElement().getText()).toBe('Last beat');
    expect(await valueOf(page, 'Position')).toBe('9.3.00');
    await page.driver.executeScript('document.activeElement.blur()');
    await page.driver.findElement(By.css('body')).sendKeys(Key.HOME);
    await until(page, async () => (await valueOf(page, 'Position')) === '1.1.00', 'Home did not go to the start');
    await type(page, 'Position', '9.3');
    await type(page, 'Timecode', '01:00:00:00');
    await until(page, async () => (await valueOf(page, 'Position')) === '1.1.00', 'it did not go back by timecode');
    await type(page, 'Position', 'nowhere');
    await until(page, async () => (await valueOf(page, 'Position')) === '1.1.00', 'it went somewhere');
  });

  test('the song sets the tempo section by section, and everyone follows', async () => {
    await page.press('Song');
    await page.driver.findElement(By.xpath('//label[contains(., "Use song sections")]/input')).click();
    await page.press('Play');
    await page.sees(/(71\.[3-7]\d[\s\S]*){2}/);
    await page.driver.findElement(By.xpath('(//button[normalize-space()="Locate"])[2]')).click();
    await page.sees(/(79\.[1-5]\d[\s\S]*){2}/);
    expect(await valueOf(page, 'Position')).toMatch(/^[5-9]\./);
  });

  test('a typed tempo overrides the song, and undo reverts it', async () => {
    await roll();
    await type(page, 'Intro: BPM', '72');
    await until(page, async () => (await demoOf(page)).song.sections[0]!.bpm === 72, 'the section was not changed');
    await undo(page);
    await until(page, async () => (await demoOf(page)).song.sections[0]!.bpm === 71.5, 'undo did not change it back');
    await page.driver
      .findElement(By.css('input[inputmode=decimal]'))
      .sendKeys(Key.chord(Key.CONTROL, 'a'), '90', Key.ENTER);
    await until(page, async () => (await demoOf(page)).song.tempoFrom === 'hand', 'the song still sets the tempo');
  });

  test('tapping four times sets the tempo', async () => {
    await page.driver.executeAsyncScript(
      `const done = arguments[0];
       let taps = 0;
       const timer = setInterval(() => {
         document.body.dispatchEvent(new KeyboardEvent('keydown', { key: 't', code: 'KeyT', bubbles: true }));
         document.body.dispatchEvent(new KeyboardEvent('keyup', { key: 't', code: 'KeyT', bubbles: true }));
         if (++taps === 6) { clearInterval(timer); done(); }
       }, 500);`,
    );
    // As evenly as this machine can tap.
    await until(page, async () => Math.abs((await demoOf(page)).bpm - 120) < 8, 'the tempo was not tapped');
  });

  test('one follower is stopped and started; another is muted and unmuted', async () => {
    await roll();
    const press = (label: string) => page.driver.findElement(By.css(`button[aria-label="${label}"]`)).click();
    await press('Stop only Porch beat box');
    await page.sees('Stopped');
    await page.sees(/(?:[0-9]|10) of 11\s+locked/);
    await press('Start Porch beat box in sync');
    await page.button('Stop only Porch beat box');
    await press('Mute MIDI to Tide sampler');
    await page.button('Unmute MIDI to Tide sampler');
    await press('Unmute MIDI to Tide sampler');
  });

  test('nudging one follower moves its offset permanently', async () => {
    await roll();
    await page.driver.findElement(By.xpath('//button[@aria-pressed and normalize-space()="Porch beat box"]')).click();
    const nudge = await page.driver.findElement(By.xpath('//button[contains(., "Nudge faster")]'));
    await page.driver.actions().move({ origin: nudge }).press().pause(600).release().perform();
    const offset = async () => (await demoOf(page)).gear.find(({ id }) => id === 'porch')!.offsetMs;
    await until(page, async () => (await offset()) < -5, 'its offset did not move');
    await undo(page);
    await until(page, async () => (await offset()) === 0, 'undo did not move it back');
  });

  test('a nudge key held while the view changes is released, and its offset kept', async () => {
    await roll();
    const offset = async () => (await demoOf(page)).gear.find(({ id }) => id === 'porch')!.offsetMs;
    const porch = '//button[@aria-pressed and normalize-space()="Porch beat box"]';
    const row = await page.driver.findElement(By.xpath(porch));
    if ((await row.getAttribute('aria-pressed')) === 'false') await row.click();
    const nudge = await page.driver.findElement(By.xpath('//button[contains(., "Nudge faster")]'));
    await page.driver.executeScript('arguments[0].focus()', nudge);
    await page.driver.actions().keyDown(Key.ENTER).pause(600).perform();
    await page.go('bench');
    await until(page, async () => (await offset()) < -5, 'the nudge went on');
    await page.driver.actions().keyUp(Key.ENTER).perform();
    await page.go('run');
    await undo(page);
    await until(page, async () => (await offset()) === 0, 'undo did not move it back');
  });

  test('a beat trigger sends its notes, the messages show them, and pausing freezes the list', async () => {
    await roll();
    await page.press('Beat triggers');
    const choose = '//select[@aria-label="Add trigger for"]/option[normalize-space()="Vole keyboard"]';
    await page.driver.findElement(By.xpath(choose)).click();
    await until(page, async () => (await demoOf(page)).gear.some(({ triggers }) => triggers.length > 0), 'no trigger');
    await page.press('Messages');
    await page.sees(/Vole keyboard\s+90 note on 60, velocity 100/);
    await page.press('Pause');
    const list = page.driver.findElement(By.css('[role=log]'));
    const before = await list.getText();
    const sent = async () =>
      /([\d,]+) messages? sent/.exec(await page.driver.findElement(By.css('footer')).getText())?.[1];
    const count = await sent();
    await until(page, async () => (await sent()) !== count, 'nothing is sent any more');
    expect(await list.getText()).toBe(before);
    await page.driver.findElement(By.xpath('//footer//button[contains(., "Messages")]')).click();
    // Its notes would come back through the keyboard's thru and delay its clock.
    await page.press('Remove Trigger 1');
    await until(page, async () => (await demoOf(page)).gear.every(({ triggers }) => triggers.length === 0), 'it stays');
  });

  test('a clock that is sent back is compared with the hub: as it plays, and where it stops', async () => {
    await page.press('Incoming sync');
    // A clock that was joined, or held up, on the way is only numbered by a start.
    await stop();
    await roll();
    // Hidden: 2.6 ms in the device, and two USB cables.
    await page.sees(/Gull drums[\s\S]*clock, playing[\s\S]*[3-5]\.\d ms late ± 0\.\d\d jitter 0\.\d\d ms/);
    await page.sees(/MIDI \+[3-5]\.\d/);
    await page.press('Stop');
    await page.sees(/Gull drums[\s\S]*same position/);
  });

  test('drift is plotted for every audio return', async () => {
    await roll();
    await page.press('Drift');
    await page.sees(/Porch beat box\s+[+−]?\d+\.\d\d/);
    await page.press('Stop');
    await page.sees('stopped');
  });

  test.each(['Song', 'Drift', 'Beat triggers', 'Incoming sync'])('the panel %s passes axe', async (panel) => {
    await page.press(panel);
    expect(await violations(page)).toEqual([]);
  });

  test('a song is imported from a MIDI file; an invalid file is rejected with its byte', async () => {
    await page.press('Song');
    const file = page.driver.findElement(By.css('input[aria-label="Import MIDI file"]'));
    writeFileSync(join(folder, 'broken.mid'), 'MThd and nothing more');
    await file.sendKeys(join(folder, 'broken.mid'));
    await page.sees(/Byte 4: .*The song is unchanged/);
    const tempo = (deltaTime: number, microsecondsPerBeat: number) =>
      ({ deltaTime, meta: true, type: 'setTempo', microsecondsPerBeat }) as const;
    const marker = (text: string) => ({ deltaTime: 0, meta: true, type: 'marker', text }) as const;
    const track = [marker('Low tide'), tempo(0, 756_620), marker('High tide'), tempo(96 * 16, 500_000)];
    const bytes = writeMidi({
      header: { format: 0, numTracks: 1, ticksPerBeat: 96 },
      tracks: [
        [
          track[0]!,
          track[1]!,
          { ...track[2]!, deltaTime: 96 * 16 },
          tempo(0, 500_000),
          { deltaTime: 0, meta: true, type: 'endOfTrack' },
        ],
      ],
    });
    writeFileSync(join(folder, 'tides.mid'), Uint8Array.from(bytes));
    await file.sendKeys(join(folder, 'tides.mid'));
    await until(page, async () => (await demoOf(page)).song.sections.length === 2, 'the song was not read');
    expect((await demoOf(page)).song.sections).toMatchObject([
      { name: 'Low tide', bars: 4, bpm: 79.3 },
      { name: 'High tide', bpm: 120 },
    ]);
    await undo(page);
    await until(page, async () => (await demoOf(page)).song.sections.length === 5, 'undo did not bring the song back');
  });

  test('another device leads: the hub locks to it, falls back when it is unplugged, and switches back', async () => {
    await page.driver.findElement(By.css('a[href="/rig"]')).click();
    await page.press('Leader');
    await page.driver.findElement(By.css('button[aria-label="Make leader: Vole keyboard"]')).click();
    await page.sees('no signal');
    await page.driver.findElement(By.css('a[href="/run"]')).click();
    await page.press('Play');
    await page.sees('Vole keyboard is the leader. Press play on the device');
    await page.press('Incoming sync');
    await page.press('Start Vole keyboard');
    await page.sees(/Vole keyboard\s+locked, 98\.[12]/);
    await page.sees(/11 of 11\s+locked/, 30_000);
    await page.press('Unplug cable');
    await page.sees(/Hub\s+Vole keyboard lost/);
    await page.sees(/playing, 11 of 11/);
    await page.press('Plug cable in');
    // Back before long, it is followed again by itself.
    await page.sees(/Vole keyboard\s+locked, 98\.[12]/, 30_000);
    await page.press('Unplug cable');
    await page.sees(/Hub\s+Vole keyboard lost/);
    const lostAt = Date.now();
    await until(page, () => Promise.resolve(Date.now() > lostAt + 11_000), 'time stands still');
    await page.press('Plug cable in');
    await page.press('Switch back to Vole keyboard');
    await page.sees(/Vole keyboard\s+locked, 98\.[12]/, 30_000);
    await page.press('Stop Vole keyboard');
    await page.sees('stopped');
    expect(await page.complaints()).toEqual([]);
  });

  test('the jitter of an incoming clock, and how much traffic on its line adds', async () => {
    const [keyboard] = BOATHOUSE.gear!.filter(({ kind }) => kind === 'keyboard');
    const { crystalPpm, jitterMs } = keyboard as { crystalPpm: number; jitterMs: number };
    await page.driver.findElement(By.css('a[href="/run"]')).click();
    await page.press('Incoming sync');
    await page.press('Start Vole keyboard');
    await page.sees(/Vole keyboard\s+locked, 98\.[12]/);
    await page.driver.findElement(By.css('a[href="/bench"]')).click();
    await page.press('How stable is this clock?');
    await page.driver.findElement(By.xpath('//option[normalize-space()="10 s"]')).click();
    await page.driver.findElement(By.xpath('//option[.="On the port to Vole keyboard"]')).click();
    await page.press('Measure clock');
    // The second take, with traffic, can be shorter.
    await page.hasMeasured(8);
    await page.sees(/Measuring: [0-4] of 10 s/);
    await page.hasMeasured(4);
    await page.press('Finish early');
    await page.sees(/Jitter without traffic: 0\.\d+ ms rms/, 60_000);
    const taken = await stored<StoredClock>(page.driver, 'clockTakes');
    const [quiet, busy] = taken.sort((a, b) => a.startedAt - b.startedAt);
    const { bpm, bpmStandardError, jitterRmsMs, missing, extra } = quiet!.result.report;
    // A tick waits for the note or dump before it: up to 64 bytes of 0.32 ms (MIDI 1.0, 31,250 baud).
    expect(busy!.result.report.jitterRmsMs).toBeGreaterThan(3 * jitterRmsMs);
    expect(Math.abs(bpm - 98.2 * (1 + crystalPpm / 1e6))).toBeLessThan(4 * bpmStandardError);
    // Send delays are the absolute value of a normal deviate, whose standard deviation is sqrt(1 - 2 / pi) of it.
    expect(jitterRmsMs / (jitterMs * Math.sqrt(1 - 2 / Math.PI))).toBeGreaterThan(0.85);
    expect(jitterRmsMs / (jitterMs * Math.sqrt(1 - 2 / Math.PI))).toBeLessThan(1.15);
    expect([missing, extra]).toEqual([0, 0]);
    await page.driver.findElement(By.css('a[href="/run"]')).click();
    await page.press('Incoming sync');
    await page.press('Stop Vole keyboard');
    await page.sees('stopped');
    expect(await page.complaints()).toEqual([]);
  });

  test('a second tab says that another one is open, and can take over', async () => {
    const first = await page.driver.getWindowHandle();
    await page.driver.switchTo().newWindow('tab');
    await page.driver.get(`${page.url}/run`);
    await page.sees('Metronomo is open in another tab');
    await page.press('Take over here');
    await page.sees('Followers');
    const second = await page.driver.getWindowHandle();
    await page.driver.switchTo().window(first);
    await page.sees('Metronomo is open in another tab');
    // A reload doesn't take playback back from the tab that it was given to.
    await page.driver.navigate().refresh();
    await page.sees('Metronomo is open in another tab');
    await page.driver.switchTo().window(second);
    await page.sees('Followers');
    await page.driver.close();
    await page.driver.switchTo().window(first);
    await page.press('Take over here');
    await page.sees('Followers');
  });
});

describe('a MIDI port disconnected and reconnected', () => {
  let page: Page;
  beforeAll(async () => {
    page = await openBrowser();
    await withMidi(page.driver);
    await page.open('/rig');
    const option = (words: string) =>
      page.driver.wait(async () => {
        const [found] = await page.driver.findElements(By.xpath(`//option[normalize-space()="${words}"]`));
        await found?.click();
        return found !== undefined;
      }, 10_000);
    await option('My studio');
    await page.press('Ports');
    await page.press('Connect MIDI ports');
    await page.press('Add gear');
    await page.press('Sampler');
    await option('Attic in');
    await page.unfold('Advanced');
    await page.driver.findElement(By.xpath('//label[normalize-space()="Song position"]/input')).click();
    await page.driver.findElement(By.css('a[href="/run"]')).click();
  });
  afterAll(() => page.close());
  const sent = () =>
    page.driver.executeScript<{ bytes: number[]; atMs: number; calledMs: number }[]>('return standIn.sent');

  test('during playback it resumes in time, with song position and continue, on the same grid', async () => {
    await page.press('Play');
    await until(page, async () => (await sent()).length > 60, 'nothing was sent');
    await page.driver.executeScript('standIn.pull()');
    await page.sees('Port disconnected');
    const before = await sent();
    await page.driver.executeScript('standIn.sent.length = 0; standIn.putBack()');
    await until(
      page,
      async () => (await sent()).filter(({ bytes }) => bytes[0] === 0xf8).length > 60,
      'nothing came back',
    );
    const after = await sent();
    // Messages in flight when it was plugged in may still arrive before the new song position.
    const from = after.findIndex(({ bytes }) => bytes[0] === 0xf2);
    expect(after.slice(from, from + 3).map(({ bytes }) => bytes[0])).toEqual([0xf2, 0xfb, 0xf8]);
    const ticks = (all: { bytes: number[]; atMs: number }[]) =>
      all.filter(({ bytes }) => bytes[0] === 0xf8).map(({ atMs }) => atMs);
    const tickMs = 60_000 / 120 / 24;
    const gap = (ticks(after.slice(from))[0]! - ticks(before).at(-1)!) / tickMs;
    expect(Math.abs(gap - Math.round(gap))).toBeLessThan(0.001);
  });

  test('a page that was blocked for five seconds sends no burst: the gear is continued in place, and the Logbook says so', async () => {
    await until(page, async () => (await sent()).length > 60, 'nothing is sent');
    const blockedTo = await page.driver.executeScript<number>(
      'const end = performance.now() + 5000; while (performance.now() < end); return end;',
    );
    await page.sees(/playing/);
    const grid = (await sent()).filter(({ bytes }) => bytes[0] === 0xf8)[0]!.atMs;
    const after = async () => (await sent()).filter(({ calledMs }) => calledMs >= blockedTo);
    await until(page, async () => (await after()).length > 200, 'it did not go on');
    const all = await after();
    // At 120 BPM; a stop does good at any time.
    expect(all.filter(({ bytes, atMs, calledMs }) => bytes[0] !== 0xfc && calledMs - atMs > 500)).toEqual([]);
    const from = all.findLastIndex(({ bytes }) => bytes[0] === 0xfb);
    expect(all.slice(from - 1, from + 2).map(({ bytes }) => bytes[0])).toEqual([0xf2, 0xfb, 0xf8]);
    const tickMs = 60_000 / 120 / 24;
    const off = all.slice(from + 1).map(({ atMs }) => (atMs - grid) / tickMs);
    expect(Math.max(...off.map((ticks) => Math.abs(ticks - Math.round(ticks))))).toBeLessThan(0.001);
    await page.go('logbook');
    await page.sees(/The page was blocked for [45]\.\d s\. Gear on MIDI ports was stopped and continued in place\./);
  });

  const beats = Array.from({ length: 40_000 }, (_, i) => `Sampler,${i * 500},12.5`);
  const ticksMs = Array.from({ length: 300_000 }, (_, i) => 1000 + i * 20.833_333_333);
  /** One with the same id would be in the Logbook already. */
  const clockTake = (id: string) => {
    const about = { rigId: 'r', startedAt: 1.7e12, status: 'done', portId: 'p', name: 'Long clock', gearIds: [] };
    return JSON.stringify({ metronomoClockTake: 1, take: { id, ...about, ticks: 300_000, result: null }, ticksMs });
  };
  test.each([
    [
      '40,000 beats',
      'beats.csv',
      () => ['gear,due_ms,late_ms', ...beats].join('\n'),
      'Imported Sampler from beats.csv.',
    ],
    ['300,000 ticks, 5 MB', 'clock.json', clockTake, 'Imported the take from clock.json.'],
  ])('a file of %s is read while gear plays: nothing goes out late', async (_, name, textOf, imported) => {
    const file = join(folder, name);
    await page.go('logbook');
    await page.press('Import and export');
    const inputs = () => page.driver.findElements(By.css('input[aria-label="File to import"]'));
    await until(page, async () => (await inputs()).length === 1, 'no place to import');
    const [input] = await inputs();
    const latestMs = async () => {
      writeFileSync(file, textOf(`long-${performance.now()}`));
      await page.driver.executeScript('standIn.sent.length = 0; arguments[0].value = ""', input);
      await input!.sendKeys(file);
      await page.sees(imported);
      await until(page, async () => (await sent()).length > 100, 'nothing is sent');
      return Math.max(...(await sent()).map(({ atMs, calledMs }) => calledMs - atMs));
    };
    // Reading them in the page took 0.4 and 6.6 s each time; the machine's own stalls come now and then.
    const attempts = [await latestMs()];
    while (attempts.length < 4 && Math.min(...attempts) >= 150) attempts.push(await latestMs());
    expect(Math.min(...attempts)).toBeLessThan(150);
  });

  test('incoming notes are routed to another port on another channel', async () => {
    await page.driver.findElement(By.css('a[href="/rig"]')).click();
    await page.press('Ports');
    await page.driver.findElement(By.css('button[aria-label="Add Attic out, input"]')).click();
    await page.press('Channels');
    await page.press('Add route');
    await page.driver.findElement(By.xpath('(//section[@aria-label="Routes"]//select)[last()]/option[.="5"]')).click();
    await until(
      page,
      async () => {
        await page.driver.executeScript('standIn.arrive([0x90, 62, 100]); standIn.arrive([0x80, 62, 64])');
        const statuses = (await sent()).map(({ bytes }) => bytes[0]);
        return statuses.includes(0x94) && statuses.includes(0x84);
      },
      'the note was not carried',
    );
  });

  test('incoming messages on an added port are shown; its start is obeyed where allowed', async () => {
    await page.press('Stop');
    await page.sees('stopped');
    await page.driver.findElement(By.css('a[href="/rig"]')).click();
    await page.press('Ports');
    const arrive = () => page.driver.executeScript('standIn.arrive([0xfa])');
    await page.sees(/Inputs\s+Attic out/);
    await arrive();
    await page.sees('in Attic out FA start');
    await page.sees('stopped');
    await page.driver.findElement(By.xpath('//label[contains(., "Accept remote transport")]/input')).click();
    await page.driver.wait(async () => {
      await arrive();
      return /playing/.test(await page.driver.findElement(By.css('nav')).getText());
    }, 10_000);
    expect(await page.complaints()).toEqual([]);
  });
});

describe('a leader on a MIDI port, in a window that is busy for three seconds', () => {
  const TICK_MS = 25;
  let page: Page;
  beforeAll(async () => {
    page = await openBrowser({ calm: false });
    await withMidi(page.driver);
    await page.open('/rig');
    const file = rigFile(folder, 'Following', 'midi:attic-out', true);
    await page.driver.findElement(By.css('input[aria-label="Open rig file"]')).sendKeys(file);
    await page.sees('Opened ');
    await page.press('Ports');
    await page.press('Connect MIDI ports');
  });
  afterAll(() => page.close());

  test('isn’t lost: its ticks are counted once they come in, and the follower is on the right tick', async () => {
    await page.driver.findElement(By.css('a[href="/run"]')).click();
    // The system stamps a message on arrival; a busy window gets it later.
    const startMs = await page.driver.executeScript<number>(
      `const startMs = performance.now() + 200;
       let tick = -1;
       setInterval(() => {
         for (; startMs + tick * ${TICK_MS} <= performance.now(); tick++)
           standIn.arrive([tick < 0 ? 0xfa : 0xf8], startMs + Math.max(tick * ${TICK_MS}, -2));
       }, 5);
       return performance.timeOrigin + startMs;`,
    );
    await page.sees(/Far\s+locked, 100\.0/);
    const latest = async () => Math.max(-1, ...(await sentTicks(page)).keys());
    await until(page, async () => (await latest()) > 100, 'the follower did not start');
    const busyTo = await page.driver.executeScript<number>(
      'const end = performance.now() + 3000; while (performance.now() < end); return performance.timeOrigin + end;',
    );
    const settled = Math.ceil((busyTo + 2000 - startMs) / TICK_MS);
    await until(page, async () => (await latest()) > settled + 100, 'it did not play on');
    await page.sees(/Far\s+locked, 100\.0/);
    for (const [tick, atMs] of await sentTicks(page))
      if (tick > settled) expect(Math.abs(atMs - startMs - tick * TICK_MS)).toBeLessThan(TICK_MS / 2);
    await page.go('logbook');
    await page.sees('Logbook');
    expect(await page.driver.findElement(By.css('body')).getText()).not.toContain('Lost sync');
  });
});
