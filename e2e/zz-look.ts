import { By } from 'selenium-webdriver';
import { openBrowser } from './browser';
const wait = (ms: number) => new Promise((r) => setTimeout(r, ms));
(async () => {
  const page = await openBrowser();
  await page.open('/bench');
  const ask = (t: string) =>
    page.driver.findElement(By.xpath(`//button[@role="tab" and normalize-space()="${t}"]`)).click();
  const done = async (ms: number) => {
    await page.button('End it now');
    await page.driver.wait(
      async () => (await page.driver.findElements(By.xpath('//button[normalize-space()="End it now"]'))).length === 0,
      ms,
      'never ended',
    );
    await wait(800);
  };
  const which = process.argv.slice(2);
  try {
    if (which.includes('cal')) {
      await ask('What does my audio path add?');
      await page.press('Measure the path');
      await done(60000);
      await page.picture('/tmp/l-cal.png');
    }
    if (which.includes('loop')) {
      await ask('How long is MIDI on its way?');
      await page.press('Send 64 notes round');
      await done(60000);
      await page.picture('/tmp/l-loop.png');
    }
    if (which.includes('chase')) {
      await ask('How fast does it lock?');
      await page.driver.findElement(By.xpath('//option[.="4 times"]')).click();
      await page.press('Start and stop it');
      await done(90000);
      await page.picture('/tmp/l-chase.png');
    }
    if (which.includes('tempo')) {
      await ask('Does it follow?');
      await page.press('Change the tempo');
      await done(120000);
      await page.picture('/tmp/l-tempo.png');
    }
    if (which.includes('drift')) {
      await ask('Does it drift?');
      await page.driver.findElement(By.xpath('//option[.="1 minute"]')).click();
      await page.press('Watch for drift');
      await done(120000);
      await page.picture('/tmp/l-drift.png');
    }
    if (which.includes('take')) {
      await ask('How late does it sound?');
      await page.press('Take M');
      await done(120000);
      await page.picture('/tmp/l-take.png');
    }
  } catch (e) {
    console.log(String(e).slice(0, 1500));
    await page.picture('/tmp/l-err.png');
  }
  console.log(await page.complaints());
  await page.close();
})();
