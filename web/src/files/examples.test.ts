import 'fake-indexeddb/auto';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import Ajv from 'ajv/dist/2020';
import { boathouse } from '../store/boathouse';
import { hostileJson } from './fixtures/hostile-files';
import { readAny } from './read-any';
import { readRigFile, writeRigFile } from './rig-file';

const docs = join(__dirname, '../../../docs');
const example = (name: string) => readFileSync(join(docs, 'examples', name));
const isRig = new Ajv().compile(JSON.parse(readFileSync(join(docs, 'rig.schema.json'), 'utf8')) as object);

test.each([
  ['boathouse.rig.json', 'rig'],
  ['one.take.json', 'measured'],
  ['a-clock.json', 'measured'],
  ['beats.csv', 'table'],
  ['messages.txt', 'messages'],
  ['messages.mid', 'messages'],
  ['song.mid', 'messages'],
  ['sound.wav', 'sound'],
])('the documentation’s example %s is recognized and read', async (name, what) => {
  expect((await readAny(new Blob([example(name)]), name, boathouse())).what).toBe(what);
});

// JSON Schema draft 2020-12, checked by an independent implementation.
test('a saved rig matches the schema, and so does the example', () => {
  expect(isRig(JSON.parse(writeRigFile(boathouse())))).toBe(true);
  expect(isRig(JSON.parse(example('boathouse.rig.json').toString()))).toBe(true);
});

test('what the schema rejects, the app rejects too', () => {
  const text = JSON.stringify(JSON.parse(writeRigFile({ ...boathouse(), demo: false })));
  const wrong = hostileJson('rig', text, 'rig').filter(({ name }) => name.includes('another type'));
  let refused = 0;
  for (const { name, bytes } of wrong) {
    const file = new TextDecoder().decode(bytes);
    if (isRig(JSON.parse(file))) continue;
    refused++;
    expect(() => readRigFile(file)).toThrow();
    expect(name).toBeTruthy();
  }
  expect(refused).toBeGreaterThan(40);
});
