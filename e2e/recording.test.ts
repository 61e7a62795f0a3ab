import { existsSync, mkdtempSync, readFileSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { unzipSync } from 'fflate';
import { By, Key } from 'selenium-webdriver';
import type { Driver } from 'selenium-webdriver/chrome';
import { writeSongFile } from '../core/src/files/tempo-file';
import { readWav } from '../core/src/files/wav';
import { openBrowser, type Page } from './browser';
import { stored } from './page-stand-ins';
import { bursts, every, saveWav } from './sounds';

interface StoredTake {
  source: string;
  input: string;
  startedAt: number;
  lines: { report: { medianMs: number; matched: number; missed: number; spreadMs: number } }[];
}

const folder = mkdtempSync(join(tmpdir(), 'metronomo-wav-'));
let page: Page;
beforeAll(async () => {
  page = await openBrowser();
  await page.open('/bench');
  await page.press('How late is a recorded part?');
});
afterAll(() => page.close());

const drop = (file: string) => page.driver.findElement(By.css('input[type=file]')).sendKeys(file);
const newest = async () =>
  (await stored<StoredTake>(page.driver, 'takes'))
    .filter(({ source }) => source === 'recording')
    .sort((a, b) => a.startedAt - b.startedAt);

test('a file that isn’t a WAV, and a truncated one, are reported with the byte', async () => {
  const text = join(folder, 'notes.wav');
  writeFileSync(text, 'not a sound at all');
  await drop(text);
  await page.sees(/notes\.wav: This isn’t a WAV file.*byte 0/);
  const whole = saveWav(join(folder, 'whole.wav'), [bursts(every(500, 4), 3)]);
  const cut = join(folder, 'cut.wav');
  writeFileSync(cut, readFileSync(whole).subarray(0, 2000));
  await drop(cut);
  await page.sees(/cut\.wav: The audio is truncated/);
});

test('click and device on two channels: the latency of every beat', async () => {
  const clicks = every(60_000 / 98.2, 40, 300);
  await drop(
    saveWav(join(folder, 'two.wav'), [
      bursts(clicks, 26),
      bursts(
        clicks.map((ms) => ms + 14.25),
        26,
      ),
    ]),
  );
  await page.sees('26.0 s at 48 kHz, 2 channels');
  await page.press('Measure');
  await page.sees(/14\.[23] ms late/);
  const [take] = await newest();
  expect(take!.lines[0]!.report).toMatchObject({ matched: 40, missed: 0 });
  expect(Math.abs(take!.lines[0]!.report.medianMs - 14.25)).toBeLessThan(0.1);
});

test('a program that chases another, started four times: where it lands, and where each stops', async () => {
  const runs = [400, 6900, 13_200, 19_700].map((ms) => every(500, 8, ms));
  const lands = [21, 23, 22, 24.5];
  const chased = runs.flatMap((beats, i) => beats.slice(0, i === 2 ? 7 : 8).map((ms) => ms + lands[i]!));
  await drop(saveWav(join(folder, 'chase.wav'), [bursts(runs.flat(), 26), bursts(chased, 26)]));
  await page.sees('26.0 s at 48 kHz, 2 channels');
  await page.driver.findElement(By.xpath('//option[contains(., "several starts")]')).click();
  await page.press('Measure');
  await page.sees(/Lands 22\.5 ms late against Leader, ranging from \+21\.0 to \+24\.5 ms/);
  await page.sees(/Parts recorded in separate passes won’t line up \(±1\.[78] ms\)/);
  await page.sees('−1 to 0 beats from the leader');
  await page.driver.findElement(By.xpath('//option[contains(., "Click on another channel")]')).click();
});

test('Measure pressed while another file is being read measures the new file under its own name', async () => {
  const clicks = every(500, 100, 300);
  const long = saveWav(join(folder, 'long.wav'), [
    bursts(clicks, 60),
    bursts(
      clicks.map((ms) => ms + 9),
      60,
    ),
  ]);
  await drop(long);
  await page.press('Measure');
  await page.sees(/9\.\d ms late/);
  expect((await newest()).map(({ input }) => input).at(-1)).toBe('long.wav');
});

test('one channel and a fixed tempo', async () => {
  await drop(
    saveWav(join(folder, 'one.wav'), [
      bursts(
        every(60_000 / 79.3, 32).map((ms) => ms + 21.5),
        26,
      ),
    ]),
  );
  await page.sees('26.0 s at 48 kHz, 1 channel');
  await page.press('Measure');
  await page.sees(/21\.5 ms late/);
  expect(await newest()).toHaveLength(4);
});

test('a silent channel, one without transients, and an empty file are reported; earlier takes are kept', async () => {
  const clicks = bursts(every(500, 20), 11);
  await drop(saveWav(join(folder, 'silent.wav'), [clicks, new Float32Array(clicks.length)]));
  await page.sees('Channel 2, silent');
  await page.press('Measure');
  await page.sees('The device channel is silent. Check the cable, the input and its level.');
  const noise = clicks.map((_, i) => 0.2 * Math.sin(i * i));
  await drop(saveWav(join(folder, 'noise.wav'), [noise, clicks]));
  await page.sees(/11\.0 s/);
  await page.press('Measure');
  await page.sees(/No click found on the click channel/);
  await drop(saveWav(join(folder, 'empty.wav'), [new Float32Array(0), new Float32Array(0)]));
  await page.sees(/0\.0 s/);
  await page.press('Measure');
  await page.sees('The recording is empty');
  expect(await newest()).toHaveLength(4);
  expect(await page.complaints()).toEqual([]);
});

test('stems dropped together are shifted by their latency and saved as one archive', async () => {
  const written = mkdtempSync(join(tmpdir(), 'metronomo-written-'));
  await (page.driver as Driver).sendDevToolsCommand('Browser.setDownloadBehavior', {
    behavior: 'allow',
    downloadPath: written,
  });
  await page.open('/align');
  await page.press('Stem alignment');
  const beats = every(500, 16, 300);
  const part = (name: string, lateMs: number) =>
    saveWav(join(folder, name), [
      bursts(beats, 9),
      bursts(
        beats.map((ms) => ms + lateMs),
        9,
      ),
    ]);
  writeFileSync(join(folder, 'broken.wav'), 'RIFF and nothing more');
  const files = [part('bass.wav', 12.3), part('drums.wav', 31.7), join(folder, 'broken.wav')];
  await page.driver.findElement(By.css('input[aria-label="Stem WAV files"]')).sendKeys(files.join('\n'));
  await page.sees(
    /bass\.wav[\s\S]*12\.3 ms late[\s\S]*59[01] samples earlier[\s\S]*drums\.wav[\s\S]*1,?52\d samples earlier/,
  );
  await page.sees(/broken\.wav: This isn’t a WAV file/);
  await page.press('Save all 2 with list');
  const archive = join(written, 'Aligned stems.zip');
  await page.driver.wait(() => Promise.resolve(existsSync(archive)), 15_000, 'nothing was written');
  const entries = unzipSync(readFileSync(archive));
  expect(Object.keys(entries)).toEqual(['bass aligned.wav', 'drums aligned.wav', 'Stem shifts.csv']);
  const moved = readWav(entries['bass aligned.wav']!).channels[1]!;
  const before = readWav(readFileSync(files[0]!)).channels[1]!;
  const by = moved.findIndex((sample) => sample !== 0);
  const from = before.findIndex((sample) => sample !== 0);
  // The click is 300 ms from the start.
  expect(Math.abs(by - 0.3 * 48_000)).toBeLessThanOrEqual(1);
  expect(moved.subarray(by, by + 48_000).every((sample, i) => sample === before[from + i])).toBe(true);
  expect(await page.complaints()).toEqual([]);
});

test('a part of a song with a tempo map: lateness by section, and it stays out of Align if a program played it', async () => {
  const section = (name: string, bars: number, bpm: number) => ({
    ...{ name, bars, bpm, toBpm: null, beatsPerBar: 4, beatUnit: 4 },
  });
  const song = join(folder, 'song.mid');
  writeFileSync(song, writeSongFile([section('Verse', 4, 120), section('Chorus', 4, 90)], 'Salt'));
  // From bar 3: eight beats at 120, then sixteen at 90. By hand, from those two tempos.
  const verse = every(500, 8, 250).map((ms) => ms + 6);
  const chorus = every(60_000 / 90, 16, 4250).map((ms) => ms + 18);
  await page.go('bench');
  await page.press('How late is a recorded part?');
  await drop(saveWav(join(folder, 'part.wav'), [bursts([...verse, ...chorus], 16)]));
  const pick = (text: string) => page.driver.findElement(By.xpath(`//option[normalize-space()="${text}"]`)).click();
  await page.sees('16.0 s at 48 kHz');
  await pick('Tempo map of a MIDI file');
  await page.driver.findElement(By.css('input[aria-label="Choose MIDI file"]')).sendKeys(song);
  await page.sees('song.mid: 2 sections');
  const type = async (label: string, text: string) => {
    const id = await page.driver.findElement(By.xpath(`//label[normalize-space()="${label}"]`)).getAttribute('for');
    await page.driver.findElement(By.id(id!)).sendKeys(Key.chord(Key.CONTROL, 'a'), text);
  };
  await type('Starts with bar', '3');
  await type('That bar begins at, ms', '250');
  await page.driver.findElement(By.xpath('//select/option[normalize-space()="Porch beat box"]')).click();
  await pick('A program’s notes');
  await page.press('Measure');
  await page.sees('It jumped by 12.0 ms at beat 9.');
  // The last section of a MIDI file has no end of its own.
  await page.sees(/Verse\s+6\.0 ms late[^\n]*\s+8 of 8\s+Chorus\s+18\.0 ms late[^\n]*\s+16 of 18/);
  await page.sees('played by a program’s notes');
  await page.go('align');
  await page.sees(/Porch beat box[\s\S]*not measured/i);
});

test('a device that plays eighths is offered its clock at half tempo; what is off the beat leads to its settings', async () => {
  const clicks = every(500, 24, 300);
  const record = async (name: string, ms: number[]) => {
    await page.go('bench');
    await page.press('How late is a recorded part?');
    await drop(saveWav(join(folder, name), [bursts(clicks, 14), bursts(ms, 14)]));
    await page.sees('14.0 s at 48 kHz, 2 channels');
    await page.driver.findElement(By.xpath('//option[normalize-space()="Click on another channel"]')).click();
    await page.driver.findElement(By.xpath('//select/option[normalize-space()="Porch beat box"]')).click();
    await page.press('Measure');
  };
  await record('eighths.wav', every(250, 48, 307));
  await page.sees(/It plays eighths\./);
  await page.press('Send half tempo');
  await page.sees('Porch beat box gets its clock at half tempo. Record again.');
  await page.press('Undo');
  await record('off-beat.wav', every(500, 24, 557));
  await page.sees('It plays an eighth note off the beat. Check the pattern.');
  await page.driver.findElement(By.xpath('//a[contains(., "Device settings")]')).click();
  await page.sees('Porch beat box');
  await page.sees(/Clock source|Sync source|MIDI channel/);
});
