import { By, Key } from 'selenium-webdriver';
import { openBrowser } from './browser';
const page = await openBrowser();
const wait = (ms: number) => new Promise((ok) => setTimeout(ok, ms));
try {
  await page.open('/bench');
  await page.driver.findElement(By.css('input[inputmode=decimal]')).sendKeys(Key.chord(Key.CONTROL, 'a'), '180', Key.ENTER);
  await page.button('Take M');
  await page.driver.findElement(By.xpath('//option[normalize-space()="4 bars"]')).click();
  for (let i = 0; i < 2; i++) { await page.press('Take M'); await page.sees('95 % interval', 60_000); await wait(9000); await page.driver.wait(async () => !(await page.driver.executeScript<boolean>('return document.body.innerText.includes("End take")')), 60000); }
  await page.press('Messages').catch(() => undefined);
  await page.driver.executeScript(`document.querySelector('footer button, [aria-expanded=false]')?.click()`);
  await wait(500);
  await page.picture('/tmp/a0.png');
  await page.driver.findElement(By.css('a[href="/logbook"]')).click();
  await wait(1500);
  await page.picture('/tmp/a1.png');
  const boxes = await page.driver.findElements(By.css('input[type=checkbox]'));
  console.log(boxes.length);
  for (const box of await page.driver.findElements(By.xpath('//label[contains(., "compare")]/input'))) await box.click();
  await page.press('Compare them');
  await wait(1000);
  await page.picture('/tmp/a2.png');
  const tab = async (name: string) => page.driver.findElement(By.xpath(`//button[@role="tab" and normalize-space()="${name}"]`)).click();
  await tab('Trend'); await wait(800); await page.picture('/tmp/a3.png');
  await tab('Files in and out'); await wait(500); await page.picture('/tmp/a4.png');
  await tab('Storage'); await wait(800); await page.picture('/tmp/a5.png');
} catch (e) { await page.picture('/tmp/a9.png'); console.log(String(e)); } finally { console.log(await page.complaints()); await page.close(); }
