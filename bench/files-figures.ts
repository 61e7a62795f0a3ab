import 'fake-indexeddb/auto';
import { readFileSync } from 'node:fs';
import { unzipSync } from 'fflate';
import { hostileFiles, type GoodFiles } from '../web/src/files/fixtures/hostile-files';
import { readAny } from '../web/src/files/read-any';
import { readArchive } from '../web/src/files/read-archive';
import { writeArchive } from '../web/src/files/write-archive';
import { boathouse } from '../web/src/store/boathouse';
import { Database } from '../web/src/store/database';
import type { Take } from '../web/src/store/records';
import type { Figure } from './figures';

const never = new AbortController().signal;
const quiet = () => undefined;
const example = (name: string) => readFileSync(`docs/examples/${name}`);
const compact = (name: string) => JSON.stringify(JSON.parse(example(name).toString()));

/** Full export and import, and the cost of hostile files. The store here is in memory; the browser's own is slower. */
export async function filesFigures(): Promise<Figure[]> {
  const data = new Database('bench');
  const { take } = JSON.parse(example('one.take.json').toString()) as { take: Take };
  const second = new Float32Array(48_000).map((_, i) => Math.sin(i / 10) * 0.3);
  for (let i = 0; i < 40; i++) {
    await data.takes.add({ ...take, id: `take-${i}`, startedAt: i });
    for (let index = 0; index < 10; index++)
      await data.sound.add({ takeId: `take-${i}`, index, channels: [second, second, second] });
  }
  let beganMs = performance.now();
  const zip = await writeArchive(data, quiet, never);
  const outMs = performance.now() - beganMs;
  beganMs = performance.now();
  await readArchive(zip, new Database('bench in'), quiet, never);
  const inMs = performance.now() - beganMs;
  const bytes = new Uint8Array(await zip.arrayBuffer());
  beganMs = performance.now();
  unzipSync(bytes);
  const plainMs = performance.now() - beganMs;
  const rate = (ms: number) => `${(zip.size / 1000 / ms).toFixed(0)} MB/s`;
  return [
    {
      what: `All data as a ZIP, ${(zip.size / 1e6).toFixed(0)} MB of 40 takes, out and in`,
      ours: `${rate(outMs)} out, ${rate(inMs)} in, all checked`,
      beside: `a general library unpacks it in memory, with nothing checked: ${rate(plainMs)}`,
    },
    await hostileFigure(),
  ];
}

async function hostileFigure(): Promise<Figure> {
  const data = new Database('good');
  const { take } = JSON.parse(example('one.take.json').toString()) as { take: Take };
  await data.takes.add(take);
  await data.rigs.add({ ...boathouse(), id: 'mine', demo: false });
  const good: GoodFiles = {
    rig: compact('boathouse.rig.json'),
    take: compact('one.take.json'),
    clock: compact('a-clock.json'),
    table: example('beats.csv').toString(),
    messages: example('messages.txt').toString(),
    midi: example('messages.mid'),
    sound: example('sound.wav'),
    archive: new Uint8Array(await (await writeArchive(data, quiet, never)).arrayBuffer()),
  };
  const files = hostileFiles(good);
  let slowest = { name: '', ms: 0 };
  let refused = 0;
  for (const [i, { name, bytes }] of files.entries()) {
    const aside = new Database(`aside ${i}`);
    const file = new Blob([bytes as Uint8Array<ArrayBuffer>]);
    const beganMs = performance.now();
    try {
      if ((await readAny(file, name, boathouse())).what === 'archive') await readArchive(file, aside, quiet, never);
    } catch {
      refused++;
    }
    const ms = performance.now() - beganMs;
    if (ms > slowest.ms) slowest = { name, ms };
    await aside.delete();
  }
  return {
    what: `${files.length} hostile files`,
    ours: `${refused} refused, the slowest after ${slowest.ms.toFixed(0)} ms (${slowest.name})`,
    beside: '',
  };
}
