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
])('the example %s of the documentation is read as what it is', async (name, what) => {
  expect((await readAny(new Blob([example(name)]), name, boathouse())).what).toBe(what);
});

// JSON Schema draft 2020-12, by another implementation of it.
test('a rig that is saved is what the schema says, and so is the example', () => {
  expect(isRig(JSON.parse(writeRigFile(boathouse())))).toBe(true);
  expect(isRig(JSON.parse(example('boathouse.rig.json').toString()))).toBe(true);
});

test('what the schema refuses, the app refuses too', () => {
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
