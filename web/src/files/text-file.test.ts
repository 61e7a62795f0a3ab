import fc from 'fast-check';
import { decodeText, FileError, parseJson, versioned } from './text-file';

const utf8 = (text: string) => new TextEncoder().encode(text);

test('any text survives UTF-8, with or without a byte order mark', () => {
  fc.assert(fc.property(fc.string({ unit: 'grapheme' }), (text) => expect(decodeText(utf8(text))).toBe(text)));
  expect(decodeText(Uint8Array.of(0xef, 0xbb, 0xbf, 0x61))).toBe('a');
});

test('other encodings are named', () => {
  expect(() => decodeText(Uint8Array.of(0xff, 0xfe, 0x61, 0))).toThrow(/UTF-16 text\. Save it as UTF-8/);
  expect(() => decodeText(Uint8Array.of(0x61, 0xfc), 'a.json')).toThrow('a.json isn’t UTF-8 text.');
});

test('any JSON within the depth limit parses like JSON.parse', () => {
  const harmless = fc.json({ maxDepth: 6 }).filter((text) => !/__proto__|constructor|prototype/.test(text));
  fc.assert(fc.property(harmless, (text) => expect(parseJson(text)).toEqual(JSON.parse(text))));
});

test('brackets inside strings don’t count as depth; real ones do', () => {
  expect(parseJson(JSON.stringify({ name: '[['.repeat(100) + '\\"{' }))).toHaveProperty('name');
  expect(parseJson('['.repeat(40) + ']'.repeat(40))).toBeTruthy();
  expect(() => parseJson('['.repeat(41) + ']'.repeat(41))).toThrow('more than 40 levels deep (character 40)');
});

test('prototype-polluting keys are rejected at any depth', () => {
  for (const text of ['{"__proto__":{}}', '[[{"a":{"constructor":1}}]]', '{"a":[{"prototype":0}]}'])
    expect(() => parseJson(text)).toThrow(FileError);
});

test('a newer version asks for a newer Metronomo; a missing version is reported', () => {
  expect(versioned({ metronomoRig: 1, rig: 2 }, 'metronomoRig', 1, 'rig file')).toMatchObject({ rig: 2 });
  expect(() => versioned({ metronomoRig: 2 }, 'metronomoRig', 1, 'rig file')).toThrow('comes from a newer Metronomo');
  for (const value of [null, [], 7, {}, { metronomoRig: '1' }])
    expect(() => versioned(value, 'metronomoRig', 1, 'rig file')).toThrow('“metronomoRig” is missing');
  expect(() => versioned({ metronomoRig: 0.5 }, 'metronomoRig', 1, 'rig file')).toThrow('a whole number, 1 or higher');
});
