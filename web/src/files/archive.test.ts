import 'fake-indexeddb/auto';
import { Database } from '../store/database';
import { asItWas } from '../store/fixtures/as-it-was';
import { keepMessages } from '../store/streams';
import { readArchive } from './read-archive';
import { writeArchive } from './write-archive';

const quiet = () => undefined;
const never = new AbortController().signal;
const bytesOf = async (blob: Blob) => Buffer.from(await blob.arrayBuffer());

/** A day in the demo with every kind of data. */
async function aDay(name: string): Promise<Database> {
  await asItWas(name, 6);
  const day = new Database(name);
  await day.calibrations.add({
    input: 'Box',
    sampleRate: 48_000,
    roundTripMs: 7.4,
    bufferMs: null,
    takeId: 'x',
    at: 1,
  });
  await day.events.add({
    ...{ id: 'e', rigId: 'own', at: 5, kind: 'offsets', lines: [], gearIds: ['porch'] },
    moves: [{ gearId: 'porch', name: 'Porch', fromMs: 0, toMs: -12.3 }],
  });
  // After edits, a rig's fields may be in any order.
  const backwards = <Of extends object>(one: Of) => Object.fromEntries(Object.entries(one).reverse()) as Of;
  const [demo] = await day.rigs.toArray();
  await day.rigs.put({ ...backwards(demo!), gear: demo!.gear.map(backwards) });
  const stream = {
    id: 's',
    rigId: 'own',
    name: 'Evening',
    startedAt: 9,
    status: 'done',
    messages: 2,
    durationMs: 1,
  } as const;
  await keepMessages(day, stream, [
    { atMs: 0, direction: 'out', port: 'Box', bytes: Uint8Array.of(0xfa) },
    { atMs: 1 / 3, direction: 'out', port: 'Box', bytes: Uint8Array.of(0xf8) },
  ]);
  return day;
}

test('a full export imported into an empty database gives the same bytes and records', async () => {
  const day = await aDay('out');
  const first = await writeArchive(day, quiet, never);
  const aside = new Database('in');
  const contents = await readArchive(first, aside, quiet, never);
  expect(contents).toMatchObject({ takes: 2, clockTakes: 1, offsetSets: 1, calibrations: 1, events: 1, streams: 1 });
  expect(contents.rigs.map(({ id }) => id)).toEqual(['boathouse', 'own']);
  expect(contents.notes).toEqual([]);
  const again = await bytesOf(await writeArchive(aside, quiet, never));
  expect(again.equals(await bytesOf(first))).toBe(true);
  for (const table of ['rigs', 'takes', 'clockTakes', 'offsetSets', 'calibrations', 'events', 'streams', 'pieces'])
    expect(await aside.table(table).toArray()).toEqual(await day.table(table).toArray());
  // Chunked differently, but the same samples and ticks.
  const all = async (of: Database) => ({
    sound: (await of.sound.toArray())
      .flatMap(({ channels }) => channels.map((one) => [...one]))
      .flat()
      .sort(),
    ticks: (await of.ticks.toArray()).flatMap(({ times }) => [...times]).sort(),
  });
  expect(await all(aside)).toEqual(await all(day));
});

test('a cancelled import isn’t used', async () => {
  const day = await aDay('stop');
  const zip = await writeArchive(day, quiet, never);
  const stop = new AbortController();
  const aside = new Database('stopped');
  await expect(readArchive(zip, aside, () => stop.abort(), stop.signal)).rejects.toThrow();
});

test('a cancelled export leaves nothing behind', async () => {
  const stop = new AbortController();
  const told = () => stop.abort(new Error('ended'));
  await expect(writeArchive(await aDay('end writing'), told, stop.signal)).rejects.toThrow('ended');
});

test('an archive opens elsewhere: takes are JSON, audio is WAV', async () => {
  const { unzipSync, strFromU8 } = await import('fflate');
  const day = await aDay('other');
  const files = unzipSync(await bytesOf(await writeArchive(day, quiet, never)));
  const names = Object.keys(files);
  expect(names).toContain('metronomo.json');
  const take = names.find((name) => name.endsWith('/take.json'))!;
  expect(JSON.parse(strFromU8(files[take]!))).toMatchObject({ metronomoTake: 1, take: { rigId: 'boathouse' } });
  const { WaveFile } = await import('wavefile');
  const sound = new WaveFile(files[names.find((name) => name.endsWith('/sound.wav'))!]);
  expect(sound.fmt).toMatchObject({ sampleRate: 48_000, bitsPerSample: 32, audioFormat: 3 });
});
