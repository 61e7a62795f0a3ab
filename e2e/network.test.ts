import { mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { By } from 'selenium-webdriver';
import { fromShelf } from '../core/src/rig/shelf';
import { violations } from './axe';
import { openBrowser, type Page } from './browser';
import { stored, withMidi } from './page-stand-ins';

const folder = mkdtempSync(join(tmpdir(), 'metronomo-network-'));

interface StoredLink {
  kind: string;
  link?: { peerName: string; records: { receivedMs: number | null }[] };
}

describe('a tablet in the network, which is the demo’s stand-in', () => {
  let page: Page;
  beforeAll(async () => {
    page = await openBrowser({ standIn: true });
  });
  afterAll(() => page.close());

  test('it is found, invited, used as a port, and its clock is read', async () => {
    await page.afresh('/rig');
    await page.press('Ports');
    await page.press('Invite Jetty tablet');
    await page.sees(/ms there and back, .* ms jitter/);
    await page.press('Use it: Jetty tablet, network, in');
    expect(await violations(page)).toEqual([]);
    await page.go('run');
    await page.tab('What comes in');
    // Through a link that is uneven by milliseconds and loses one in a hundred none is lost: on a machine that stands still now
    // and then one may be missing in its place, and be there as one too many.
    await page.sees(/Jetty tablet, network\s+Locked\s+clock, \w+\s+9[56]\.\d+\s+(\d{1,2}), \1\s/);
    await page.tab('Network');
    expect(await page.sees(/Jetty tablet\s+open/)).toMatch(/\d of \d+\s/);
  });

  test('the link is measured: raw data kept, and what to set is set by a press', async () => {
    await page.go('bench');
    await page.tab('How good is this network link?');
    await page.press('Measure the link');
    await page.sees(/Asking: \d of 10 s, \d\d/);
    await page.press('End it now');
    await page.sees('What to set');
    const links = (await stored<StoredLink>(page.driver, 'events')).filter(({ kind }) => kind === 'link');
    expect(links).toHaveLength(1);
    expect(links[0]!.link!.records.filter(({ receivedMs }) => receivedMs !== null).length).toBeGreaterThan(9);
    await page.press('Set the buffer');
    await page.sees('It is set.');
    expect(await violations(page)).toEqual([]);
    await page.go('logbook');
    await page.sees(/Jetty tablet: \d+\.\d ms there and back/);
  });

  test('after the page was closed its session goes on; forgotten, it ends', async () => {
    await page.open('/rig');
    await page.press('Ports');
    await page.sees(/Jetty tablet\s+open/);
    await page.press('Forget Jetty tablet');
    await page.sees(/Found\s+Jetty tablet/);
    expect(await page.complaints()).toEqual([]);
  });
});

interface Sent {
  bytes: number[];
  atMs: number;
}

/** A box on a cable of this computer, and another computer in the network that is sent to or that leads. */
function rigFile(name: string, peerKey: string, leads: boolean): string {
  const gear = (kind: 'beatBox' | 'tablet', id: string, portId: string | null, more: object = {}) => ({
    ...fromShelf(kind, id, id),
    ...{ icon: null, checked: [], place: null, noteChannel: 10, returnChannel: null, portId },
    sends: { clock: true, transport: true, position: true },
    ...more,
  });
  const tablet = fromShelf('tablet', 'Far', 'Far');
  const able = { ...tablet.able, lead: true, songPosition: true };
  const port = `net:${peerKey}`;
  const box = { id: 'attic', label: 'Attic in', direction: 'out', link: 'din', portId: 'midi:attic-1' };
  const far = { id: 'far', label: 'Far', direction: leads ? 'in' : 'out', link: 'network', portId: port };
  const rig = {
    name,
    bpm: 120,
    // Sent earlier by the buffer that is over there.
    gear: [
      gear('beatBox', 'Box', 'midi:attic-1'),
      gear('tablet', 'Far', leads ? null : port, { able, offsetMs: leads ? 0 : -30 }),
    ],
    hubSockets: [box, far],
    cables: [
      {
        id: 'c1',
        from: { gearId: 'hub', socketId: 'attic' },
        to: { gearId: 'Box', socketId: 'in' },
        notesPerSecond: 0,
      },
      leads
        ? {
            id: 'c2',
            from: { gearId: 'Far', socketId: 'net-out' },
            to: { gearId: 'hub', socketId: 'far' },
            notesPerSecond: 0,
          }
        : {
            id: 'c2',
            from: { gearId: 'hub', socketId: 'far' },
            to: { gearId: 'Far', socketId: 'net-in' },
            notesPerSecond: 0,
          },
    ],
    leaders: leads ? ['Far', 'hub'] : ['hub'],
    input: { sourceId: 'none', label: 'none', clickChannel: 0 },
  };
  const file = join(folder, `${name}.rig.json`);
  writeFileSync(file, JSON.stringify({ metronomoRig: 1, rig }));
  return file;
}

/** When each tick of the song goes to the box, by its number, in ms since 1970. */
async function ticksOf(page: Page): Promise<Map<number, number>> {
  const { sent, origin } = await page.driver.executeScript<{ sent: Sent[]; origin: number }>(
    'return { sent: standIn.sent, origin: performance.timeOrigin }',
  );
  const ticks = new Map<number, number>();
  let next: number | null = null;
  let placed = 0;
  for (const { bytes, atMs } of sent) {
    if (bytes[0] === 0xf2) placed = ((bytes[2]! << 7) | bytes[1]!) * 6;
    if (bytes[0] === 0xfa) next = 0;
    if (bytes[0] === 0xfb) next = placed;
    if (bytes[0] === 0xfc) next = null;
    if (bytes[0] === 0xf8 && next !== null) ticks.set(next++, origin + atMs);
  }
  return ticks;
}

describe('two Metronomos', () => {
  const pages: Page[] = [];
  afterAll(() => Promise.all(pages.map((page) => page.close())));

  test('one leads, the other follows over the network, and both are on the same beat', async () => {
    const leader = await openBrowser({ name: 'Boathouse' });
    const follower = await openBrowser({ name: 'Jetty' });
    pages.push(leader, follower);
    for (const [page, file] of [
      [leader, rigFile('Leading', '127.0.0.1', false)],
      [follower, rigFile('Following', 'boathouse', true)],
    ] as const) {
      await withMidi(page.driver);
      await page.open('/rig');
      await page.driver.findElement(By.css('input[aria-label="Open a rig file"]')).sendKeys(file);
      await page.sees('was opened.');
      await page.press('Ports');
      await page.press('Connect MIDI ports');
    }
    await leader.driver.findElement(By.css('input[aria-label="Address of the peer"]')).sendKeys('127.0.0.1');
    const port = leader.driver.findElement(By.css('input[aria-label="Port of the peer"]'));
    await port.clear();
    await port.sendKeys(String(follower.networkPort));
    await leader.press('Invite');
    await follower.sees('invites you to a session');
    await follower.press('Refuse');
    // Who was refused does not ask again by itself, but when told to.
    await leader.sees('it refused');
    await leader.press('Invite 127.0.0.1 again');
    await follower.press('Accept');
    // What was only an address has a name now.
    await leader.sees(/Jetty\s+open/);
    await follower.sees(/Boathouse\s+open/);
    await leader.press('Play');
    await follower.sees(/rolling/);
    await leader.driver.wait(
      async () =>
        /^[3-9]\./.test(
          String(await leader.driver.findElement(By.css('input[aria-label="Position"]')).getAttribute('value')),
        ),
      20_000,
      'the leader did not get to bar 3',
    );
    const [a, b] = [await ticksOf(leader), await ticksOf(follower)];
    const common = [...b.keys()].filter((tick) => tick > 72 && a.has(tick));
    const late = common.map((tick) => b.get(tick)! - a.get(tick)!).sort((x, y) => x - y);
    expect(common.length).toBeGreaterThan(60);
    const at = (share: number) => late[Math.floor(share * (late.length - 1))]!;
    // Seen 0.13 ms here, from 0.07 to 0.2; a flam is heard from some 10 ms on (common practice).
    expect(Math.abs(at(0.5))).toBeLessThan(2);
    expect(at(0.9) - at(0.1)).toBeLessThan(2);
    await leader.press('Stop');
    await follower.sees('stopped');
    for (const page of pages) expect(await page.complaints()).toEqual([]);
  });
});
