import { mkdirSync } from 'node:fs';
import { mkdtempSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { By, Key, until } from 'selenium-webdriver';
import { openBrowser } from './browser';
import { bursts, every, saveWav } from './sounds';

/** Retakes the screenshots of the documentation from the demo: `npm run build && npm run shots [folder]`. */
const folder = process.argv[2] ?? 'docs/screenshots';
mkdirSync(folder, { recursive: true });
const page = await openBrowser({ standIn: true });
const picture = async (name: string) => {
  await page.driver.executeScript(`document.querySelector('main').scrollTo(0, 0)`);
  await new Promise((resolve) => setTimeout(resolve, 1200));
  await page.picture(join(folder, `${name}.png`));
  console.log(name);
};
const sheet = (name: string) => page.driver.executeScript(`document.documentElement.dataset.sheet = '${name}'`);

try {
  await page.open('/rig');
  await picture('rig');
  await page.go('run');
  await page.press('Play');
  await page.sees(/11 of 11\s+locked/);
  await new Promise((resolve) => setTimeout(resolve, 9000));
  await picture('run');
  await sheet('night');
  await picture('run-night');
  await sheet('paper');
  await page.press('Song');
  await picture('run-song');
  await page.press('Stop');
  await page.go('bench');
  await page.press('Record take M');
  await page.sees('95% interval', 180_000);
  // Drawn once the analyzer is done with all devices.
  await page.driver.wait(until.elementLocated(By.css('[aria-label="Selected beat"] path')), 60_000);
  await picture('bench');
  await page.go('align');
  await page.press('Align all');
  await page.sees('All 11 in time', 240_000);
  await picture('align');
  await page.tab('Device offsets');
  const where = '//select[@aria-label="Offset location for Marsh laptop"]/option';
  await page.driver.findElement(By.xpath(`${where}[2]`)).click();
  await picture('align-type');
  await page.driver.findElement(By.xpath(`${where}[1]`)).click();
  await page.tab('Stem alignment');
  const passes = mkdtempSync(join(tmpdir(), 'metronomo-shot-'));
  const beats = every(60_000 / 79.3, 24, 300);
  const part = (name: string, lateMs: number) =>
    saveWav(join(passes, name), [
      bursts(beats, 20),
      bursts(
        beats.map((ms, i) => ms + lateMs + 0.4 * Math.sin(i * 5)),
        20,
      ),
    ]);
  const parts = [part('heron, verse.wav', 12.3), part('tide, verse.wav', 31.7), part('gull, verse.wav', 18.4)];
  await page.driver.findElement(By.css('input[aria-label="Stem WAV files"]')).sendKeys(parts.join('\n'));
  await page.sees('Save all 3', 60_000);
  await picture('align-stems');
  await page.go('bench');
  await page.press('How late is a recorded part?');
  const clicks = every(60_000 / 98.2, 32, 300);
  const wav = saveWav(join(mkdtempSync(join(tmpdir(), 'metronomo-shot-')), 'porch, pass two.wav'), [
    bursts(clicks, 21),
    bursts(
      clicks.map((ms, i) => ms + 14 + Math.sin(i * 7)),
      21,
    ),
  ]);
  await page.driver.findElement(By.css('input[type=file]')).sendKeys(wav);
  await page.sees('21.0 s at 48 kHz');
  await page.press('Measure');
  await page.sees(/kHz · porch, pass two\.wav/);
  await picture('bench-recording');
  await page.press('How fast does timecode lock?');
  await page.press('Measure lock time');
  await page.sees('Timecode lock: Weir recorder', 120_000);
  await picture('bench-chase');
  await page.press('Does my gear follow tempo?');
  await page.press('Start tempo test');
  await page.sees('Tempo response: Porch beat box', 120_000);
  await picture('bench-tempo');
  await page.go('rig');
  await page.press('Leader');
  await page.driver.findElement(By.css('button[aria-label="Make leader: Vole keyboard"]')).click();
  await page.go('run');
  await page.press('Incoming sync');
  await page.press('Start Vole keyboard');
  await page.sees(/11 of 11\s+locked/, 60_000);
  await picture('run-led');
  await page.go('bench');
  await page.press('How stable is this clock?');
  await page.driver.findElement(By.xpath('//option[normalize-space()="10 s"]')).click();
  await page.press('Measure clock');
  await page.sees(/Jitter, rms\s+0\.\d/, 60_000);
  await picture('bench-clock');
  await page.go('run');
  await page.press('Incoming sync');
  await page.press('Stop Vole keyboard');
  await page.go('rig');
  await page.press('Ports');
  await page.press('Invite Jetty tablet');
  await page.sees(/ms round trip, .* ms jitter/);
  await page.go('bench');
  await page.press('How good is this network link?');
  await page.press('Measure link');
  await page.sees('Recommended settings', 60_000);
  await picture('bench-link');
  await page.go('logbook');
  await page.driver
    .findElement(By.css('aside button[aria-label]'))
    .click()
    .catch(() => undefined);
  await picture('logbook');
  const compared = await page.driver.findElements(By.xpath('//label[contains(., "Compare")]/input'));
  for (const box of compared.slice(-2)) await box.click();
  await page.press('Compare');
  await picture('logbook-compare');
  await page.tab('Trend');
  await picture('logbook-trend');
  await page.tab('Import and export');
  await picture('logbook-files');
  await page.go('rig');
  await (await page.driver.findElement(By.linkText('Guided set-up'))).click();
  await page.press('Practice with stand-ins');
  await page.press('Continue');
  await page.press('Play the click');
  await page.sees(/Audio round trip: /, 60_000);
  await page.press('Continue');
  for (const [name, port, input] of [
    ['Kettle drums', 'DIN 1', 2],
    ['Second box', 'DIN 2', 3],
  ] as const) {
    await page.press('It sends no MIDI');
    await page.press('Drum machine');
    await page.driver.findElement(By.css('main input')).sendKeys(Key.chord(Key.CONTROL, 'a'), name);
    await page.press('Continue');
    await page.press('Try the outputs');
    await page.sees(`Is this ${name}?`, 60_000);
    if (input === 3) break;
    await page.press(`Yes, use ${port}`);
    await page.press(`Use input ${input}`);
    await page.press('Add another device');
  }
  await picture('set-up');
} finally {
  await page.close();
}
