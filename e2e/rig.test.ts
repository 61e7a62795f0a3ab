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
    offsetMs: number;
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

test('added gear appears in the diagram, and the line check finds that it receives no sync', async () => {
  await option('Current rig', 'My studio');
  await page.press('Add gear');
  await page.press('Drum machine');
  await page.press('Add gear');
  await page.press('Synthesizer');
  await page.press('Line check');
  await page.sees(/Drum machine receives no sync[\s\S]*Synthesizer receives no sync/);
  expect(await page.driver.findElements(By.css('.react-flow__node'))).toHaveLength(3);
});

test('focus stays in the view where what had it goes away', async () => {
  const place = () =>
    page.driver.executeScript<string>(
      `const one = document.activeElement; return one.closest('#view') && one.id !== 'view' ? one.tagName : one.tagName + '!'`,
    );
  const pressFocused = async (name: string) => {
    await (await page.button(name)).sendKeys(Key.ENTER);
    await until(async () => /^[A-Z0-9]+$/.test(await place()), `focus fell to the page after ${name}`);
  };
  await pressFocused('Add gear');
  await pressFocused('Tablet');
  await pressFocused('Duplicate Tablet');
  await pressFocused('Delete Tablet 2');
  await pressFocused('Tablet…');
  await pressFocused('Delete Tablet');
  await pressFocused('Synthesizer…');
  await pressFocused('Line check');
});

test('a cable drawn from socket to socket is connected; an invalid one is rejected with a message', async () => {
  const socket = (gear: string, id: string) =>
    page.driver.findElement(
      By.xpath(`//div[contains(@class,"react-flow__node")][@aria-label="${gear}"]//div[@data-handleid="${id}"]`),
    );
  const draw = async (from: [string, string], to: [string, string]) =>
    page.driver
      .actions()
      .dragAndDrop(await socket(...from), await socket(...to))
      .perform();
  await draw(['Drum machine', 'thru'], ['Synthesizer', 'in']);
  await until(async () => (await own()).cables.length === 1, 'no cable was plugged in');
  await draw(['Drum machine', 'thru'], ['Synthesizer', 'usb-in']);
  await page.sees(/THRU is a 5-pin DIN socket and USB in is a USB port/);
  expect((await own()).cables).toHaveLength(1);
  await undo();
  await until(async () => (await own()).cables.length === 0, 'the cable was not taken back');
});

test('by keyboard: connections and settings; the check follows, and its button fixes the finding', async () => {
  await page.press('Gear');
  await page.unfold('Device settings');
  await page.unfold('Advanced');
  await option('Connected through', 'Drum machine, THRU');
  await until(async () => (await own()).cables.length === 1, 'no cable was plugged in');
  await option('Clock source', 'internal');
  await page.press('Line check');
  await page.sees('Synthesizer is on internal clock');
  await page.press('Mark as done');
  await until(
    async () => (await own()).gear.every(({ set }) => set.clockSource === 'external'),
    'the cure did not change the rig',
  );
});

test('a finding is accepted with a reason, and reopened', async () => {
  await page.press('Accept…');
  await page.driver
    .findElement(By.css('input[aria-label="Reason for accepting"]'))
    .sendKeys('Only for the photo', Key.ENTER);
  await page.sees('1 accepted');
  expect(Object.values((await own()).accepted)).toEqual(['Only for the photo']);
  await page.driver.findElement(By.css('summary')).click();
  await page.press('Reopen');
  await until(async () => Object.keys((await own()).accepted).length === 0, 'it stays accepted');
});

test('deleting gear removes its cables, and undo restores both', async () => {
  await page.press('Gear');
  await page.driver.findElement(By.css('button[aria-label="Delete Synthesizer"]')).click();
  await until(async () => (await own()).gear.length === 1 && (await own()).cables.length === 0, 'it is still there');
  await undo();
  await until(async () => (await own()).gear.length === 2 && (await own()).cables.length === 1, 'undo lost something');
});

test('duplicated gear gets its own name, and is checked like the rest', async () => {
  await page.press('Add gear');
  await page.press('Drum machine…');
  await page.driver.findElement(By.css('button[aria-label="Duplicate Drum machine"]')).click();
  await until(async () => (await own()).gear.some(({ name }) => name === 'Drum machine 2'), 'there is no second one');
  await page.press('Line check');
  await page.sees('Drum machine 2 receives no sync');
  expect(await page.complaints()).toEqual([]);
});

test('a cable is selected and unplugged by keyboard', async () => {
  const [cable] = (await own()).cables;
  expect(cable).toBeDefined();
  const edge = await page.driver.findElement(By.css('.react-flow__edge'));
  await edge.sendKeys(Key.ENTER, Key.BACK_SPACE);
  await until(async () => (await own()).cables.length === 0, 'the cable is still there');
  await undo();
  await until(async () => (await own()).cables.length === 1, 'undo did not bring it back');
});

test('a cable is plugged in by keyboard, from socket to socket, and unplugged with Delete', async () => {
  const socketNamed = (name: string) => page.driver.findElement(By.css(`.react-flow__handle[aria-label="${name}"]`));
  const focused = () => page.driver.switchTo().activeElement();
  const before = (await own()).cables.length;
  await page.driver.executeScript('arguments[0].focus()', await socketNamed('Drum machine 2, THRU (thru)'));
  await (await focused()).sendKeys(Key.ENTER);
  await page.sees(/Cable at Drum machine 2, THRU: \d+ sockets? fits?/);
  const label = async () => (await focused()).getAttribute('aria-label');
  await until(async () => (await label()) !== 'Drum machine 2, THRU (thru)', 'no socket was focused');
  // Escape gives up; the next time another socket is chosen.
  await (await focused()).sendKeys(Key.ESCAPE);
  await until(async () => (await label()) === 'Drum machine 2, THRU (thru)', 'focus did not come back');
  await (await focused()).sendKeys(Key.SPACE);
  await until(async () => (await label()) !== 'Drum machine 2, THRU (thru)', 'no socket was focused');
  const chosen = await label();
  await (await focused()).sendKeys(Key.ENTER);
  await until(async () => (await own()).cables.length === before + 1, 'no cable was plugged in');
  const [name, socket] = /^(.+), (.+) \(in\)$/.exec(chosen!)!.slice(1);
  const cable = await page.driver.findElement(
    By.css(`.react-flow__edge[aria-label="Cable from Drum machine 2, THRU to ${name}, ${socket}: clock"]`),
  );
  await cable.sendKeys(Key.ENTER, Key.DELETE);
  await until(async () => (await own()).cables.length === before, 'the cable is still there');
});

test('gear is moved in its list, given an icon and a socket, and undo reverts each', async () => {
  const names = async () => (await own()).gear.map(({ name }) => name);
  await page.press('Add gear');
  const before = await names();
  await page.driver.findElement(By.css('button[aria-label="Move Drum machine down"]')).click();
  await until(async () => (await names())[1] === 'Drum machine', 'it did not move');
  await undo();
  await until(async () => (await names()).join() === before.join(), 'it did not move back');
  await page.press('Drum machine…');
  await page.unfold('Device settings');
  await page.press('Add socket');
  await until(async () => (await own()).gear[0]!.sockets.some(({ label }) => label === 'IN A'), 'no socket came');
  await page.unfold('Setup checklist');
  await page.driver.findElement(By.xpath('//label[contains(., "Receive clock: on")]/input')).click();
  await page.sees(/Setup checklist: 1 of \d done/);
  const name = await page.driver.findElement(By.css('input[aria-label="Device name"]'));
  await name.sendKeys(Key.chord(Key.CONTROL, 'a'), 'Synthesizer', Key.ENTER);
  await page.sees('The name Synthesizer is already in use.');
});

test('gear is moved in the diagram by arrow keys, stays there, and the layout is reset', async () => {
  const node = await page.driver.findElement(
    By.xpath('//div[contains(@class,"react-flow__node")][@aria-label="Synthesizer"]'),
  );
  await node.sendKeys(Key.ENTER, Key.ARROW_DOWN, Key.ARROW_DOWN);
  const moved = async () => (await own()).gear.some(({ place }) => place !== null);
  await until(moved, 'it did not stay where it was moved to');
  await page.press('Reset layout');
  await until(async () => !(await moved()), 'it was not laid out anew');
});

test('a rig is saved to a file and opened beside the others; an invalid file says why', async () => {
  const rigs = () => stored<StoredRig>(page.driver, 'rigs');
  const before = await rigs();
  const folder = mkdtempSync(join(tmpdir(), 'metronomo-rig-'));
  const input = await page.driver.findElement(By.css('input[aria-label="Open rig file"]'));
  const open = async (name: string, text: string) => {
    writeFileSync(join(folder, name), text);
    await input.sendKeys(join(folder, name));
  };
  await open('broken.json', '{"metronomoRig": 9, "rig": {}}');
  await page.sees(/comes from a newer Metronomo \(version 9.*Your rigs are unchanged/);
  expect(await rigs()).toEqual(before);
  const rig = before.find(({ id }) => id === 'own')!;
  await open('mine.json', JSON.stringify({ metronomoRig: 1, rig: { ...rig, name: 'From a file' } }));
  await page.sees('Opened From a file.');
  const opened = (await rigs()).find(({ name }) => name === 'From a file');
  expect({ ...opened, id: rig.id, name: rig.name }).toEqual(rig);
  await option('Current rig', 'My studio');
});

test('a rig is added, renamed and deleted; undo restores it, and the first is unchanged', async () => {
  const names = async () => (await stored<{ name: string }>(page.driver, 'rigs')).map(({ name }) => name).sort();
  await page.press('Add rig');
  await page.sees('New studio');
  await page.sees('Common studios');
  expect(await violations(page)).toEqual([]);
  await page.driver.findElement(By.xpath('//button[contains(., "Lights on the beat")]')).click();
  await page.sees('Lighting desk');
  await page.driver.findElement(By.css('body')).sendKeys(Key.chord(Key.CONTROL, 'z'));
  await page.sees('Common studios');
  await page.press('Rename');
  const field = await page.driver.findElement(By.css('input[aria-label="Rig name"]'));
  await field.sendKeys(Key.chord(Key.CONTROL, 'a'), Key.BACK_SPACE, Key.ENTER);
  await page.sees('Enter a rig name.');
  await field.sendKeys('Attic', Key.ENTER);
  await until(async () => (await names()).includes('Attic'), 'it has no new name');
  await page.press('Delete rig');
  await until(async () => !(await names()).includes('Attic'), 'it is still there');
  await page.driver.findElement(By.xpath('(//button[normalize-space()="Undo"])[last()]')).click();
  await until(async () => (await names()).includes('Attic'), 'undo did not bring it back');
  await option('Current rig', 'My studio');
  await page.press('Gear');
  await page.sees('Drum machine 2');
});

describe('the demo’s rig', () => {
  const demo = async () => (await stored<StoredRig>(page.driver, 'rigs')).find(({ id }) => id === 'boathouse')!;
  beforeAll(() => option('Current rig', 'Boathouse, “Salt Ledger” (demo)'));

  test('a gear card with everything expanded passes axe', async () => {
    await page.press('Gear');
    await page.press('Weir recorder…');
    await page.driver.executeScript('for (const one of document.querySelectorAll("details")) one.open = true');
    expect(await violations(page)).toEqual([]);
  });

  test('the print-out has the diagram, the leader, the starting order, open findings, and a sheet per device', async () => {
    await page.driver.executeScript('window.dispatchEvent(new Event("beforeprint"))');
    const paper = await page.driver.findElement(By.css('article.hidden'));
    const text = String(await page.driver.executeScript('return arguments[0].textContent', paper));
    expect(text).toMatch(/Boathouse.*79\.30 BPM · leader: the hub/);
    expect(text).toMatch(/Starting orderMIDI and audio interfaces.*Lantern tablet: press play once/);
    expect(text).toMatch(/Weir recorderReceives sync onIN, from the hub’s port DIN 5Settings on the device/);
    expect(text).toMatch(/Settings on the device☐ MIDI timecode \(MTC\): on, 24 fps, socket IN/);
    expect(await paper.findElements(By.css('section.break-before-page'))).toHaveLength(18);
    expect(text).toMatch(/Line check.*Loft lamps is on internal clock/);
    expect(await paper.findElements(By.css('svg rect'))).toHaveLength(19);
    expect(await paper.findElements(By.css('svg path'))).toHaveLength(20);
    await page.driver.executeScript('window.dispatchEvent(new Event("afterprint"))');
    await until(async () => (await page.driver.findElements(By.css('article.hidden'))).length === 0, 'the paper stays');
  });

  test('its faults are listed, with their meaning and a cure', async () => {
    await page.press('Line check');
    await page.sees(
      /MIDI loop at the hub[\s\S]*Loft lamps is on internal clock[\s\S]*Weir recorder doesn’t support 24[\s\S]*Moss echo shares channel 2/,
    );
    await page.press('Move to channel 3');
    await until(async () => (await demo()).gear.find(({ id }) => id === 'moss')!.set.channels[0] === 3, 'not cured');
    await undo();
  });

  test('the line test hears what sounds, reads what replies, and asks about the rest', async () => {
    await page.press('Test all lines');
    // The line to the split box is heard by the device behind it.
    await page.sees('11 of 12 passed', 60_000);
    const answers = Object.values((await demo()).tested).map(({ answer }) => answer);
    expect(answers.filter((answer) => answer === 'sound')).toHaveLength(9);
    // The keyboard's identity, and the clock that the drums send back.
    expect(answers.filter((answer) => answer === 'midi')).toHaveLength(2);
    await page.driver.findElement(By.css('button[aria-label="Test line to Weir recorder"]')).click();
    await page.sees('Does it show 01:00:00:00?');
    await page.press('No');
    await page.sees('Weir recorder didn’t respond to the line test');
  });

  test('no line is tested during playback, because the music would answer', async () => {
    await page.press('Play');
    await page.sees('playing');
    await page.driver.findElement(By.css('button[aria-label="Test line to Porch beat box"]')).click();
    await page.sees('Can’t test a line during playback');
    await page.press('Stop');
    await page.sees('stopped');
  });

  test('another device leads with the hub as fallback; the top strip says so', async () => {
    await page.press('Leader');
    await page.driver.findElement(By.css('button[aria-label="Make leader: Vole keyboard"]')).click();
    await until(async () => (await demo()).leaders.join() === 'vole,hub', 'the order was not kept');
    await page.sees(/Leader\s+Vole keyboard\s+no signal/);
    await page.press('Make leader: Hub');
    await until(async () => (await demo()).leaders[0] === 'hub', 'the hub does not lead');
  });

  test('a route is added, with another channel', async () => {
    await page.press('Channels');
    await page.press('Add route');
    await page.driver.findElement(By.xpath('(//section[@aria-label="Routes"]//select)[last()]/option[.="5"]')).click();
    await until(async () => (await demo()).routes[0]?.toChannel === 5, 'the route was not kept');
    expect(await page.complaints()).toEqual([]);
  });

  test('notes can’t keep with a clock that is sent earlier: by how much is said, and split if asked', async () => {
    const offsetOf = async () => (await demo()).gear.find(({ id }) => id === 'porch')!.offsetMs;
    await page.driver.findElement(By.xpath('(//section[@aria-label="Routes"]//select)[last()]/option[1]')).click();
    await page.go('run');
    const field = await page.driver.findElement(By.css('input[aria-label="Offset of Porch beat box"]'));
    await field.sendKeys(Key.chord(Key.CONTROL, 'a'), '-12', Key.ENTER);
    await until(async () => (await offsetOf()) === -12, 'the offset was not kept');
    await page.go('rig');
    await page.press('Channels');
    await page.sees('Notes lag the clock to Porch beat box by 12.0 ms');
    await page.press('Meet halfway');
    await until(async () => (await offsetOf()) === -6, 'the offset was not halved');
    await page.sees('Halfway, its clock is sent 3.0 ms later than now, and its notes lag it by 3.0 ms.');
    await page.press('Keep together');
    await until(async () => (await offsetOf()) === 0, 'the offset was not taken away');
    await page.sees('Offset of Porch beat box: 0.0 ms.');
    expect(await page.driver.executeScript('return document.activeElement !== document.body')).toBe(true);
  });
});

describe('your own data', () => {
  const rigs = async () => {
    await page.open('/rig');
    return listed();
  };
  const listed = async () => {
    const options = By.xpath('//label[normalize-space()="Current rig"]/following-sibling::select/option');
    await until(async () => (await page.driver.findElements(options)).length > 0, 'no rigs');
    return Promise.all((await page.driver.findElements(options)).map((one) => one.getText()));
  };

  test('a ZIP replaces everything, the demo is unchanged, and the old data can be restored', async () => {
    const before = await rigs();
    await option('Current rig', 'My studio');
    await page.open('/logbook/files');
    const folder = await page.downloads();
    await page.press('Export all my data (ZIP)');
    const zip = await folder.next('.zip');
    await page.open('/rig');
    await page.press('Add rig');
    // Wait until it is stored before reloading.
    await until(async () => (await listed()).length === before.length + 1, 'no new rig');
    await page.open('/logbook/files');
    await page.driver.findElement(By.css('input[aria-label="File to import"]')).sendKeys(zip);
    expect(await page.sees('Import preview')).toMatch(/New\s+0\s+Identical\s+\d+[\s\S]*Rigs\s.*My studio/);
    await page.press('Replace all my data');
    await page.sees('Data replaced on');
    expect(await rigs()).toEqual(before);
    await page.open('/logbook/storage');
    await page.press('Restore');
    await page.sees('Data replaced on');
    expect(await rigs()).toHaveLength(before.length + 1);
    expect(await page.complaints()).toEqual([]);
  });
});
