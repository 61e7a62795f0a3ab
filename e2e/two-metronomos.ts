import { By } from 'selenium-webdriver';
import { openBrowser, type Page } from './browser';
import { withMidi } from './page-stand-ins';
import { rigFile } from './rig-file';
import { sentTicks } from './sent-ticks';

/** A beat's worth of ticks, three times. */
const NEWEST = 72;

/** Two of them with servers and browsers of their own, the one connected to the other; the first leads. */
export async function openTwo(folder: string): Promise<{ leader: Page; follower: Page }> {
  const leader = await openBrowser({ name: 'Boathouse' });
  const follower = await openBrowser({ name: 'Jetty' });
  for (const [page, file] of [
    [leader, rigFile(folder, 'Leading', 'net:127.0.0.1', false)],
    [follower, rigFile(folder, 'Following', 'net:boathouse', true)],
  ] as const) {
    await withMidi(page.driver);
    await page.open('/rig');
    await page.button('Ports');
    await page.driver.findElement(By.css('input[aria-label="Open rig file"]')).sendKeys(file);
    await page.sees('Opened ');
    await page.press('Ports');
    await page.press('Connect MIDI ports');
  }
  await leader.driver.findElement(By.css('input[aria-label="Peer address"]')).sendKeys('127.0.0.1');
  const port = leader.driver.findElement(By.css('input[aria-label="Peer UDP port"]'));
  await port.clear();
  await port.sendKeys(String(follower.networkPort));
  await leader.press('Invite');
  await follower.sees('invites you to a network session');
  return { leader, follower };
}

/** How late the newest ticks of the follower are, sorted, ms. */
export async function newestTicks(leader: Page, follower: Page): Promise<number[]> {
  const [a, b] = [await sentTicks(leader), await sentTicks(follower)];
  const common = [...b.keys()].filter((tick) => tick > NEWEST && a.has(tick)).sort((x, y) => x - y);
  return common
    .slice(-NEWEST)
    .map((tick) => b.get(tick)! - a.get(tick)!)
    .sort((x, y) => x - y);
}
