import { mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { By, Key } from 'selenium-webdriver';
import { violations } from './axe';
import { openBrowser, type Page } from './browser';
import { stored } from './page-stand-ins';

interface StoredRig {
  id: string;
  cables: { from: { gearId: string; socketId: string }; to: { gearId: string; socketId: string } }[];
  name: string;
  tested: Record<string, { answer: string }>;
  routes: { toChannel: number | null }[];
  leaders: string[];
  gear: {
    id: string;
    name: string;
    sockets: { label: string }[];
    set: { clockSource: string; channels: number[] };
    place: { x: number; y: number } | null;
  }[];
  accepted: Record<string, string>;
}

let page: Page;
beforeAll(async () => {
  page = await openBrowser();
  await page.open('/rig');
});
afterAll(() => page.close());

const own = async () => (await stored<StoredRig>(page.driver, 'rigs')).find(({ id }) => id === 'own')!;
const until = (what: () => Promise<boolean>, words: string) => page.driver.wait(what, 10_000, words);
const option = async (label: string, words: string) => {
  const select = `//label[normalize-space()="${label}"]/following-sibling::select`;
  await until(
    async () => (await page.driver.findElements(By.xpath(`${select}/option[normalize-space()="${words}"]`))).length > 0,
    `no option ${words}`,
  );
  await page.driver.findElement(By.xpath(`${select}/option[normalize-space()="${words}"]`)).click();
};
const undo = () => page.driver.findElement(By.css('body')).sendKeys(Key.chord(Key.CONTROL, 'z'));

test('gear from the shelf is drawn, and the line check says that nothing reaches it', async () => {
  await option('Rig in use', 'My studio');
  await page.press('Add gear');
  await page.press('Beat box');
  await page.press('Add gear');
  await page.press('Synthesizer');
  await page.press('Line check');
  await page.sees(/Beat box hears nothing[\s\S]*Synthesizer hears nothing/);
  expect(await page.driver.findElements(By.css('.react-flow__node'))).toHaveLength(3);
});

test('a cable drawn from socket to socket is plugged in; one that cannot be is refused in words', async () => {
  const socket = (gear: string, id: string) =>
    page.driver.findElement(
      By.xpath(`//div[contains(@class,"react-flow__node")][@aria-label="${gear}"]//div[@data-handleid="${id}"]`),
    );
  const draw = async (from: [string, string], to: [string, string]) =>
    page.driver
      .actions()
      .dragAndDrop(await socket(...from), await socket(...to))
      .perform();
  await draw(['Beat box', 'thru'], ['Synthesizer', 'in']);
  await until(async () => (await own()).cables.length === 1, 'no cable was plugged in');
  await draw(['Beat box', 'thru'], ['Synthesizer', 'usb-in']);
  await page.sees(/THRU is a five-pin socket and USB in is USB/);
  expect((await own()).cables).toHaveLength(1);
  await undo();
  await until(async () => (await own()).cables.length === 0, 'the cable was not taken back');
});

test('by keyboard and list: what it hangs on, how it is set; the check follows, and its button cures', async () => {
  await page.press('Gear');
  await option('or hangs on', 'Beat box, THRU');
  await until(async () => (await own()).cables.length === 1, 'no cable was plugged in');
  await option('Its clock source is', 'internal');
  await page.press('Line check');
  await page.sees('Synthesizer is set to internal');
  await page.press('I have set it');
  await until(
    async () => (await own()).gear.every(({ set }) => set.clockSource === 'external'),
    'the cure did not change the rig',
  );
});

test('a finding is accepted with a reason, and can be checked again', async () => {
  await page.press('Accept …');
  await page.driver
    .findElement(By.css('input[aria-label="Why it is accepted"]'))
    .sendKeys('Only for the photo', Key.ENTER);
  await page.sees('1 accepted');
  expect(Object.values((await own()).accepted)).toEqual(['Only for the photo']);
  await page.driver.findElement(By.css('summary')).click();
  await page.press('Check it again');
  await until(async () => Object.keys((await own()).accepted).length === 0, 'it stays accepted');
});

test('gear that is deleted takes its cables along, and undo brings both back', async () => {
  await page.press('Gear');
  await page.driver.findElement(By.css('button[aria-label="Delete Synthesizer"]')).click();
  await until(async () => (await own()).gear.length === 1 && (await own()).cables.length === 0, 'it is still there');
  await undo();
  await until(async () => (await own()).gear.length === 2 && (await own()).cables.length === 1, 'undo lost something');
});

test('gear is duplicated under a name of its own, and is checked like the rest', async () => {
  await page.press('Add gear');
  await page.press('Beat box …');
  await page.driver.findElement(By.css('button[aria-label="Duplicate Beat box"]')).click();
  await until(async () => (await own()).gear.some(({ name }) => name === 'Beat box 2'), 'there is no second one');
  await page.press('Line check');
  await page.sees('Beat box 2 hears nothing');
  expect(await page.complaints()).toEqual([]);
});

test('a cable is chosen and pulled by keyboard', async () => {
  const [cable] = (await own()).cables;
  expect(cable).toBeDefined();
  const edge = await page.driver.findElement(By.css('.react-flow__edge'));
  await edge.sendKeys(Key.ENTER, Key.BACK_SPACE);
  await until(async () => (await own()).cables.length === 0, 'the cable is still there');
  await undo();
  await until(async () => (await own()).cables.length === 1, 'undo did not bring it back');
});

test('gear is moved in its list, given another picture and a socket, and undo takes each back', async () => {
  const names = async () => (await own()).gear.map(({ name }) => name);
  await page.press('Add gear');
  const before = await names();
  await page.driver.findElement(By.css('button[aria-label="Move Beat box down"]')).click();
  await until(async () => (await names())[1] === 'Beat box', 'it did not move');
  await undo();
  await until(async () => (await names()).join() === before.join(), 'it did not move back');
  await page.press('Beat box …');
  await page.driver.findElement(By.xpath('//summary[contains(., "Sockets and audio outs")]')).click();
  await page.press('Add a socket');
  await until(async () => (await own()).gear[0]!.sockets.some(({ label }) => label === 'IN A'), 'no socket came');
  await page.driver.findElement(By.xpath('//summary[contains(., "To set on it")]')).click();
  await page.driver.findElement(By.xpath('//label[contains(., "Receive MIDI clock: on")]/input')).click();
  await page.sees(/To set on it: 1 of \d done/);
  const name = await page.driver.findElement(By.css('input[aria-label="Name"]'));
  await name.sendKeys(Key.chord(Key.CONTROL, 'a'), 'Synthesizer', Key.ENTER);
  await page.sees('Another piece of gear is called Synthesizer.');
});

test('gear is moved in the drawing by arrow keys, stays there, and is laid out anew', async () => {
  const node = await page.driver.findElement(
    By.xpath('//div[contains(@class,"react-flow__node")][@aria-label="Synthesizer"]'),
  );
  await node.sendKeys(Key.ENTER, Key.ARROW_DOWN, Key.ARROW_DOWN);
  const moved = async () => (await own()).gear.some(({ place }) => place !== null);
  await until(moved, 'it did not stay where it was moved to');
  await page.press('Lay out anew');
  await until(async () => !(await moved()), 'it was not laid out anew');
});

test('a rig is saved as a file and opened beside the others; a file that cannot be one says why', async () => {
  const rigs = () => stored<StoredRig>(page.driver, 'rigs');
  const before = await rigs();
  const folder = mkdtempSync(join(tmpdir(), 'metronomo-rig-'));
  const input = await page.driver.findElement(By.css('input[aria-label="Open a rig file"]'));
  const open = async (name: string, text: string) => {
    writeFileSync(join(folder, name), text);
    await input.sendKeys(join(folder, name));
  };
  await open('broken.json', '{"metronomoRig": 9, "rig": {}}');
  await page.sees(/saved by a newer Metronomo \(version 9.*Nothing was changed/);
  expect(await rigs()).toEqual(before);
  const rig = before.find(({ id }) => id === 'own')!;
  await open('mine.json', JSON.stringify({ metronomoRig: 1, rig: { ...rig, name: 'From a file' } }));
  await page.sees('From a file was opened.');
  const opened = (await rigs()).find(({ name }) => name === 'From a file');
  expect({ ...opened, id: rig.id, name: rig.name }).toEqual(rig);
  await option('Rig in use', 'My studio');
});

test('another rig is made, named and deleted; undo brings it back, and the first is as it was', async () => {
  const names = async () => (await stored<{ name: string }>(page.driver, 'rigs')).map(({ name }) => name).sort();
  await page.press('New rig');
  await page.sees('New studio');
  await page.press('Rename');
  const field = await page.driver.findElement(By.css('input[aria-label="Name of the rig"]'));
  await field.sendKeys(Key.chord(Key.CONTROL, 'a'), Key.BACK_SPACE, Key.ENTER);
  await page.sees('Give the rig a name.');
  await field.sendKeys('Attic', Key.ENTER);
  await until(async () => (await names()).includes('Attic'), 'it has no new name');
  await page.press('Delete rig');
  await until(async () => !(await names()).includes('Attic'), 'it is still there');
  await page.driver.findElement(By.xpath('(//button[normalize-space()="Undo"])[last()]')).click();
  await until(async () => (await names()).includes('Attic'), 'undo did not bring it back');
  await option('Rig in use', 'My studio');
  await page.press('Gear');
  await page.sees('Beat box 2');
});

describe('the demo’s rig', () => {
  const demo = async () => (await stored<StoredRig>(page.driver, 'rigs')).find(({ id }) => id === 'boathouse')!;
  beforeAll(() => option('Rig in use', 'Boathouse, “Salt Ledger” (demo)'));

  test.each(['Line check', 'Gear', 'Who leads', 'Channels', 'Ports'])('its panel %s passes axe', async (panel) => {
    await page.press(panel);
    expect(await violations(page)).toEqual([]);
  });

  test('a card of gear, all of it unfolded, passes axe', async () => {
    await page.press('Gear');
    await page.press('Weir recorder …');
    await page.driver.executeScript('for (const one of document.querySelectorAll("details")) one.open = true');
    expect(await violations(page)).toEqual([]);
  });

  test('on paper there are the drawing, who leads, what to set on each box, and what is wrong', async () => {
    await page.driver.executeScript('window.dispatchEvent(new Event("beforeprint"))');
    const paper = await page.driver.findElement(By.css('article.hidden'));
    const text = String(await page.driver.executeScript('return arguments[0].textContent', paper));
    expect(text).toMatch(/Boathouse.*79\.30 BPM · leads: the hub/);
    expect(text).toMatch(/Weir recorder☐ Sync: MIDI timecode, 24 frames a second/);
    expect(text).toMatch(/Line check.*Loft lamps is set to internal/);
    expect(await paper.findElements(By.css('svg rect'))).toHaveLength(15);
    expect(await paper.findElements(By.css('svg path'))).toHaveLength(15);
    await page.driver.executeScript('window.dispatchEvent(new Event("afterprint"))');
    await until(async () => (await page.driver.findElements(By.css('article.hidden'))).length === 0, 'the paper stays');
  });

  test('its faults are told, with what they mean and a cure', async () => {
    await page.press('Line check');
    await page.sees(
      /The clock of the hub comes back to it[\s\S]*Loft lamps is set to internal[\s\S]*Weir recorder knows no 24[\s\S]*Moss echo plays on channel 2 too/,
    );
    await page.press('Channel 3');
    await until(async () => (await demo()).gear.find(({ id }) => id === 'moss')!.set.channels[0] === 3, 'not cured');
    await undo();
  });

  test('the line test hears those that sound, reads the one that answers, and asks about the one that does neither', async () => {
    await page.press('Test every line');
    await page.sees('9 of 10 answered', 60_000);
    const answers = Object.values((await demo()).tested).map(({ answer }) => answer);
    expect(answers.filter((answer) => answer === 'sound')).toHaveLength(8);
    expect(answers.filter((answer) => answer === 'midi')).toHaveLength(1);
    await page.driver.findElement(By.css('button[aria-label="Test the line to Weir recorder"]')).click();
    await page.sees('Does it stand at 01:00:00:00?');
    await page.press('No');
    await page.sees('Weir recorder did not answer the line test');
  });

  test('while it rolls, no line is tested, for the music would answer', async () => {
    await page.press('Play');
    await page.sees('rolling');
    await page.driver.findElement(By.css('button[aria-label="Test the line to Porch beat box"]')).click();
    await page.sees('Stop first: while the hub rolls');
    await page.press('Stop');
    await page.sees('stopped');
  });

  test('somebody else leads, with the hub to fall back on; the top strip says so', async () => {
    await page.press('Who leads');
    await page.driver.findElement(By.css('button[aria-label="Let it lead: Vole keyboard"]')).click();
    await until(async () => (await demo()).leaders.join() === 'vole,hub', 'the order was not kept');
    await page.sees(/Who leads\s+Vole keyboard\s+waiting: nothing arrives/);
    await page.press('Let it lead: Hub');
    await until(async () => (await demo()).leaders[0] === 'hub', 'the hub does not lead');
  });

  test('a route is made, with another channel', async () => {
    await page.press('Channels');
    await page.press('Add a route');
    await page.driver.findElement(By.xpath('(//section[@aria-label="Routes"]//select)[last()]/option[.="5"]')).click();
    await until(async () => (await demo()).routes[0]?.toChannel === 5, 'the route was not kept');
    expect(await page.complaints()).toEqual([]);
  });
});

describe('data of one’s own', () => {
  const rigs = async () => {
    await page.open('/rig');
    return listed();
  };
  const listed = async () => {
    const options = By.xpath('//label[normalize-space()="Rig in use"]/following-sibling::select/option');
    await until(async () => (await page.driver.findElements(options)).length > 0, 'no rigs');
    return Promise.all((await page.driver.findElements(options)).map((one) => one.getText()));
  };

  test('a ZIP takes the place of everything, the demo stays as it is, and what was there can be gone back to', async () => {
    const before = await rigs();
    await option('Rig in use', 'My studio');
    await page.open('/logbook/files');
    const folder = await page.downloads();
    await page.press('Everything of mine as one ZIP');
    const zip = await folder.next('.zip');
    await page.open('/rig');
    await page.press('New rig');
    // Opened anew at once, the page would not have kept it yet.
    await until(async () => (await listed()).length === before.length + 1, 'no new rig');
    await page.open('/logbook/files');
    await page.driver.findElement(By.css('input[aria-label="A file to open"]')).sendKeys(zip);
    expect(await page.sees('lies aside')).toMatch(
      /Rigs\s.*My studio[\s\S]*0 are not here yet, \d+ are here as they are/,
    );
    await page.press('Replace everything of mine');
    await page.sees('is still kept');
    expect(await rigs()).toEqual(before);
    await page.open('/logbook/storage');
    await page.press('Go back to it');
    await page.sees('is still kept');
    expect(await rigs()).toHaveLength(before.length + 1);
    expect(await page.complaints()).toEqual([]);
  });
});
