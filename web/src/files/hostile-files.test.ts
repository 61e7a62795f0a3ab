import 'fake-indexeddb/auto';
import { writeMessageFile, writeMessageText, writeWav } from '@metronomo/core';
import { boathouse } from '../store/boathouse';
import { Database } from '../store/database';
import { keptBy } from '../store/fixtures/as-it-was';
import type { ClockTake, Take } from '../store/records';
import { indexedAs } from '../store/take-kind';
import { hostileFiles, type GoodFiles } from './fixtures/hostile-files';
import { readAny } from './read-any';
import { readArchive } from './read-archive';
import { writeRigFile } from './rig-file';
import { writeTakeCsv } from './take-csv';
import { writeTakeFile } from './take-file';
import { FileError } from './text-file';
import { writeArchive } from './write-archive';

const kept = keptBy(6);
const [oldTake] = kept['takes'] as unknown as Take[];
const take: Take = { ...oldTake!, ...indexedAs(oldTake!) };
const clock = { ...kept['clockTakes']![0], gearIds: [] } as unknown as ClockTake;
const messages = Array.from({ length: 96 }, (_, i) => ({
  atMs: i * 20.833,
  direction: 'out' as const,
  port: 'Box',
  bytes: Uint8Array.of(0xf8),
}));
const never = new AbortController().signal;
const quiet = () => undefined;

async function goodFiles(): Promise<GoodFiles> {
  const rig = { ...boathouse(), id: 'mine', demo: false };
  const data = new Database('good');
  await data.rigs.put(rig);
  await data.takes.put(take);
  return {
    rig: JSON.stringify(JSON.parse(writeRigFile(rig))),
    take: writeTakeFile({ what: 'take', take, run: [] }),
    clock: writeTakeFile({ what: 'clock', take: clock, ticksMs: [1, 2, 3], againstMs: [] }),
    table: writeTakeCsv([take]),
    messages: writeMessageText(messages),
    midi: writeMessageFile(messages),
    sound: writeWav([new Float32Array(480).fill(0.5)], 48_000),
    archive: new Uint8Array(await (await writeArchive(data, quiet, never)).arrayBuffer()),
  };
}

test('valid files are read by their type', async () => {
  const good = await goodFiles();
  const what = async (content: string | Uint8Array) =>
    (await readAny(new Blob([content as Uint8Array<ArrayBuffer>]), 'a', boathouse())).what;
  const { rig, take: one, clock: two, table, messages: text, midi, sound, archive } = good;
  expect(await Promise.all([rig, one, two, table, text, midi, sound, archive].map(what))).toEqual([
    'rig',
    'measured',
    'measured',
    'table',
    'messages',
    'messages',
    'sound',
    'archive',
  ]);
});

test('a WAV file with 100 kB of notes before its audio is a recording', async () => {
  const { sound } = await goodFiles();
  const notes = new Uint8Array(8 + 100_000);
  notes.set(new TextEncoder().encode('LIST'));
  new DataView(notes.buffer).setUint32(4, 100_000, true);
  const file = new Blob([sound.slice(0, 12), notes, sound.slice(12)]);
  expect(await readAny(file, 'long.wav', boathouse())).toEqual({ what: 'sound' });
});

test('over five hundred damaged or malicious files each give an error message, and change nothing', async () => {
  const files = hostileFiles(await goodFiles()).filter(({ name }) => new RegExp(process.env['ONLY'] ?? '').test(name));
  const own = new Database('own');
  await own.rigs.put(boathouse());
  const before = JSON.stringify(await Promise.all(own.tables.map((table) => table.toArray())));
  const unharmed: string[] = [];
  for (const [i, { name, bytes }] of files.entries()) {
    const aside = new Database(`aside ${i}`);
    try {
      const file = new Blob([bytes as Uint8Array<ArrayBuffer>]);
      const opened = await readAny(file, name, boathouse());
      if (opened.what === 'archive') await readArchive(file, aside, quiet, never);
      unharmed.push(name);
    } catch (error) {
      const said = error instanceof FileError ? error.message : `${name} fails by ${String(error)}`;
      // A sentence for the musician, not an internal message.
      if (
        !(error instanceof FileError) ||
        said.length < 15 ||
        said.length > 400 ||
        /undefined|is not a function|\[object|Cannot |null \(/.test(said)
      )
        unharmed.push(`${name}: ${said}`);
    } finally {
      await aside.delete();
    }
  }
  expect(unharmed).toEqual([]);
  expect(files.length).toBeGreaterThan(500);
  expect(JSON.stringify(await Promise.all(own.tables.map((table) => table.toArray())))).toBe(before);
  expect(({} as { polluted?: boolean; admin?: boolean }).polluted ?? ({} as { admin?: boolean }).admin).toBeUndefined();
});
