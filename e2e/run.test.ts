import { mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { writeMidi } from 'midi-file';
import { By, Key } from 'selenium-webdriver';
import { BOATHOUSE } from '../core/src/standin/boathouse';
import { violations } from './axe';
import { openBrowser, type Page } from './browser';
import { stored, withMidi } from './page-stand-ins';

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

  /** A machine that stood still for seconds has stopped the hub, as it should. */
  const roll = async () => {
    const [play] = await page.driver.findElements(By.css('button[aria-label="Play"]'));
    await play?.click();
    await page.sees(/rolling/);
  };

  test('a place is gone to by bar and by timecode, standing still', async () => {
    await type(page, 'Position', '9.3');
    await until(page, async () => (await valueOf(page, 'Position')) === '9.3.00', 'it did not go to bar 9, beat 3');
    await type(page, 'Timecode', '01:00:00:00');
    await until(page, async () => (await valueOf(page, 'Position')) === '1.1.00', 'it did not go back by timecode');
    await type(page, 'Position', 'nowhere');
    expect(await valueOf(page, 'Position')).toBe('1.1.00');
  });

  test('the song sets the tempo section by section, and everybody follows', async () => {
    await page.press('Song');
    await page.driver.findElement(By.xpath('//label[contains(., "tempo and bars by the song")]/input')).click();
    await page.press('Play');
    await page.sees(/(71\.[3-7]\d[\s\S]*){2}/);
    await page.driver.findElement(By.xpath('(//button[normalize-space()="Go there"])[2]')).click();
    await page.sees(/(79\.[1-5]\d[\s\S]*){2}/);
    expect(await valueOf(page, 'Position')).toMatch(/^[5-9]\./);
  });

  test('a tempo typed takes over from the song, and undo gives it back', async () => {
    await roll();
    await type(page, 'Tempo of Intro', '72');
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
    // As evenly as this machine taps.
    await until(page, async () => Math.abs((await demoOf(page)).bpm - 120) < 8, 'the tempo was not tapped');
  });

  test('one row is stopped and started alone; another is sent nothing, and then again', async () => {
    await roll();
    const press = (label: string) => page.driver.findElement(By.css(`button[aria-label="${label}"]`)).click();
    await press('Stop Porch beat box alone');
    await page.sees('stopped alone');
    await page.sees(/[0-7] of 8\s+locked/);
    await press('Start Porch beat box alone');
    await page.button('Stop Porch beat box alone');
    await press('Send nothing to Tide sampler');
    await page.button('Send to Tide sampler again');
    await press('Send to Tide sampler again');
  });

  test('leaning on one follower moves its offset for good', async () => {
    await roll();
    await page.driver.findElement(By.xpath('//button[@aria-pressed and normalize-space()="Porch beat box"]')).click();
    const lean = await page.driver.findElement(By.xpath('//button[contains(., "lean ahead")]'));
    await page.driver.actions().move({ origin: lean }).press().pause(600).release().perform();
    const offset = async () => (await demoOf(page)).gear.find(({ id }) => id === 'porch')!.offsetMs;
    await until(page, async () => (await offset()) < -5, 'its offset did not move');
    await undo(page);
    await until(page, async () => (await offset()) === 0, 'undo did not move it back');
  });

  test('a beat trigger sends its notes, and the messages show them; paused, they stand still', async () => {
    await roll();
    await page.press('Beat triggers');
    const choose = '//select[@aria-label="Add a trigger for"]/option[normalize-space()="Vole keyboard"]';
    await page.driver.findElement(By.xpath(choose)).click();
    await until(page, async () => (await demoOf(page)).gear.some(({ triggers }) => triggers.length > 0), 'no trigger');
    await page.press('Messages');
    await page.sees(/Vole keyboard\s+90 note on 60, velocity 100/);
    await page.press('Pause');
    const list = page.driver.findElement(By.css('[role=log]'));
    const before = await list.getText();
    const sent = async () => /([\d,]+) sent/.exec(await page.driver.findElement(By.css('footer')).getText())?.[1];
    const count = await sent();
    await until(page, async () => (await sent()) !== count, 'nothing is sent any more');
    expect(await list.getText()).toBe(before);
    await page.driver.findElement(By.xpath('//footer//button[contains(., "Messages")]')).click();
    // Its notes would come back by the keyboard's thru, and its clock would wait for them.
    await page.press('Take Trigger 1 away');
    await until(page, async () => (await demoOf(page)).gear.every(({ triggers }) => triggers.length === 0), 'it stays');
  });

  test('drift is traced for all that are heard', async () => {
    await roll();
    await page.press('Drift');
    await page.sees(/Porch beat box\s+[+−]?\d+\.\d\d/);
    await page.press('Stop');
    await page.sees('stopped');
  });

  test.each(['Song', 'Drift', 'Beat triggers', 'What comes in'])('the panel %s passes axe', async (panel) => {
    await page.press(panel);
    expect(await violations(page)).toEqual([]);
  });

  test('a song is read from a MIDI file; a file that is none is refused by its byte', async () => {
    await page.press('Song');
    const file = page.driver.findElement(By.css('input[aria-label="Read a MIDI file"]'));
    writeFileSync(join(folder, 'broken.mid'), 'MThd and nothing more');
    await file.sendKeys(join(folder, 'broken.mid'));
    await page.sees(/Byte 4: .*Nothing was changed/);
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

  test('somebody else leads: the hub locks to it, falls back when its cable is pulled, and hands back', async () => {
    await page.driver.findElement(By.css('a[href="/rig"]')).click();
    await page.press('Who leads');
    await page.driver.findElement(By.css('button[aria-label="Let it lead: Vole keyboard"]')).click();
    await page.sees('waiting: nothing arrives');
    await page.driver.findElement(By.css('a[href="/run"]')).click();
    await page.press('Play');
    await page.sees('Vole keyboard leads: press play there.');
    await page.press('What comes in');
    await page.press('Press play on it');
    await page.sees(/Vole keyboard\s+locked, 98\.[12]/);
    await page.sees(/8 of 8\s+locked/, 30_000);
    await page.press('Pull its cable');
    await page.sees(/Hub\s+Vole keyboard was lost/);
    await page.sees(/rolling, 8 of 8/);
    await page.press('Put its cable back');
    // After a long silence ticks alone do not say that it rolls; a start does.
    await page.press('Press stop on it');
    await page.press('Press play on it');
    await page.press('hand back');
    await page.sees(/Vole keyboard\s+locked, 98\.[12]/, 30_000);
    await page.press('Press stop on it');
    await page.sees('stopped');
    expect(await page.complaints()).toEqual([]);
  });

  test('how even a clock is that comes in, and how much traffic on its line disturbs it', async () => {
    const [keyboard] = BOATHOUSE.gear!.filter(({ kind }) => kind === 'keyboard');
    const { crystalPpm, jitterMs } = keyboard as { crystalPpm: number; jitterMs: number };
    await page.driver.findElement(By.css('a[href="/run"]')).click();
    await page.press('What comes in');
    await page.press('Press play on it');
    await page.sees(/Vole keyboard\s+locked, 98\.[12]/);
    await page.driver.findElement(By.css('a[href="/bench"]')).click();
    await page.press('How even is this clock?');
    await page.driver.findElement(By.xpath('//option[normalize-space()="10 s"]')).click();
    await page.driver.findElement(By.xpath('//option[.="down the line to Vole keyboard"]')).click();
    await page.press('Listen');
    // The second one, with traffic, need not be so long.
    await page.sees(/Listening: (8|9|10) of 10 s/);
    await page.sees(/Listening: [4-7] of 10 s/);
    await page.press('End it now');
    await page.sees(/With the line quiet the jitter was 0\.\d+ ms rms/, 60_000);
    const taken = await stored<StoredClock>(page.driver, 'clockTakes');
    const [quiet, busy] = taken.sort((a, b) => a.startedAt - b.startedAt);
    const { bpm, bpmStandardError, jitterRmsMs, missing, extra } = quiet!.result.report;
    // A tick waits for the note or dump before it: up to 64 bytes of 0.32 ms (MIDI 1.0, 31 250 baud).
    expect(busy!.result.report.jitterRmsMs).toBeGreaterThan(3 * jitterRmsMs);
    expect(Math.abs(bpm - 98.2 * (1 + crystalPpm / 1e6))).toBeLessThan(4 * bpmStandardError);
    // It leaves late by the size of a normal deviate, whose spread is sqrt(1 - 2 / pi) of it.
    expect(jitterRmsMs / (jitterMs * Math.sqrt(1 - 2 / Math.PI))).toBeGreaterThan(0.85);
    expect(jitterRmsMs / (jitterMs * Math.sqrt(1 - 2 / Math.PI))).toBeLessThan(1.15);
    expect([missing, extra]).toEqual([0, 0]);
    await page.driver.findElement(By.css('a[href="/run"]')).click();
    await page.press('What comes in');
    await page.press('Press stop on it');
    await page.sees('stopped');
    expect(await page.complaints()).toEqual([]);
  });

  test('a second tab says that another one runs, and can take over', async () => {
    const first = await page.driver.getWindowHandle();
    await page.driver.switchTo().newWindow('tab');
    await page.driver.get(`${page.url}/run`);
    await page.sees('Metronomo runs in another tab');
    await page.press('Take over here');
    await page.sees('Followers');
    await page.driver.close();
    await page.driver.switchTo().window(first);
    await page.sees('Metronomo runs in another tab');
    await page.press('Take over here');
    await page.sees('Followers');
  });
});

describe('a MIDI port that goes and comes back', () => {
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
    await page.driver.findElement(By.xpath('//label[normalize-space()="song position"]/input')).click();
    await page.driver.findElement(By.css('a[href="/run"]')).click();
  });
  afterAll(() => page.close());
  const sent = () => page.driver.executeScript<{ bytes: number[]; atMs: number }[]>('return standIn.sent');

  test('while rolling it resumes in time, with song position and continue, on the grid it left', async () => {
    await page.press('Play');
    await until(page, async () => (await sent()).length > 60, 'nothing was sent');
    await page.driver.executeScript('standIn.pull()');
    await page.sees('its port is not here');
    const before = await sent();
    await page.driver.executeScript('standIn.sent.length = 0; standIn.putBack()');
    await until(
      page,
      async () => (await sent()).filter(({ bytes }) => bytes[0] === 0xf8).length > 60,
      'nothing came back',
    );
    const after = await sent();
    // What was under way when it came back may still arrive before it is told where to go on.
    const from = after.findIndex(({ bytes }) => bytes[0] === 0xf2);
    expect(after.slice(from, from + 3).map(({ bytes }) => bytes[0])).toEqual([0xf2, 0xfb, 0xf8]);
    const ticks = (all: { bytes: number[]; atMs: number }[]) =>
      all.filter(({ bytes }) => bytes[0] === 0xf8).map(({ atMs }) => atMs);
    const tickMs = 60_000 / 120 / 24;
    const gap = (ticks(after.slice(from))[0]! - ticks(before).at(-1)!) / tickMs;
    expect(Math.abs(gap - Math.round(gap))).toBeLessThan(0.001);
  });

  test('notes that come in are carried to another port on another channel, by a route', async () => {
    await page.driver.findElement(By.css('a[href="/rig"]')).click();
    await page.press('Ports');
    await page.driver.findElement(By.css('button[aria-label="Use it: Attic out, in"]')).click();
    await page.press('Channels');
    await page.press('Add a route');
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

  test('what comes in at an adopted port is shown; start from there is obeyed where it is allowed', async () => {
    await page.press('Stop');
    await page.sees('stopped');
    await page.driver.findElement(By.css('a[href="/rig"]')).click();
    await page.press('Ports');
    const arrive = () => page.driver.executeScript('standIn.arrive([0xfa])');
    await page.sees(/Attic out\s+comes in/);
    await arrive();
    await page.sees('in Attic out FA start');
    await page.sees('stopped');
    await page.driver.findElement(By.xpath('//label[contains(., "are obeyed while the hub leads")]/input')).click();
    await page.driver.wait(async () => {
      await arrive();
      return /rolling/.test(await page.driver.findElement(By.css('nav')).getText());
    }, 10_000);
    expect(await page.complaints()).toEqual([]);
  });
});
