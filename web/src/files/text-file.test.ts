import fc from 'fast-check';
import { decodeText, FileError, parseJson, versioned } from './text-file';

const utf8 = (text: string) => new TextEncoder().encode(text);

test('any text goes through UTF-8, with a byte order mark or without', () => {
  fc.assert(fc.property(fc.string({ unit: 'grapheme' }), (text) => expect(decodeText(utf8(text))).toBe(text)));
  expect(decodeText(Uint8Array.of(0xef, 0xbb, 0xbf, 0x61))).toBe('a');
});

test('other encodings are told, and which', () => {
  expect(() => decodeText(Uint8Array.of(0xff, 0xfe, 0x61, 0))).toThrow(/UTF-16\. Save it as UTF-8/);
  expect(() => decodeText(Uint8Array.of(0x61, 0xfc), 'a.json')).toThrow('a.json is no text in UTF-8.');
});

test('any JSON that is not too deep comes out as JSON.parse has it', () => {
  const harmless = fc.json({ maxDepth: 6 }).filter((text) => !/__proto__|constructor|prototype/.test(text));
  fc.assert(fc.property(harmless, (text) => expect(parseJson(text)).toEqual(JSON.parse(text))));
});

test('brackets in words are no depth; real ones are counted', () => {
  expect(parseJson(JSON.stringify({ name: '[['.repeat(100) + '\\"{' }))).toHaveProperty('name');
  expect(parseJson('['.repeat(40) + ']'.repeat(40))).toBeTruthy();
  expect(() => parseJson('['.repeat(41) + ']'.repeat(41))).toThrow('more than 40 deep, at character 40');
});

test('keys that reach into objects are refused wherever they are', () => {
  for (const text of ['{"__proto__":{}}', '[[{"a":{"constructor":1}}]]', '{"a":[{"prototype":0}]}'])
    expect(() => parseJson(text)).toThrow(FileError);
});

test('a file of a newer version asks for a newer Metronomo; one without says what is missing', () => {
  expect(versioned({ metronomoRig: 1, rig: 2 }, 'metronomoRig', 1, 'rig file')).toMatchObject({ rig: 2 });
  expect(() => versioned({ metronomoRig: 2 }, 'metronomoRig', 1, 'rig file')).toThrow('saved by a newer Metronomo');
  for (const value of [null, [], 7, {}, { metronomoRig: '1' }])
    expect(() => versioned(value, 'metronomoRig', 1, 'rig file')).toThrow('“metronomoRig” is missing');
  expect(() => versioned({ metronomoRig: 0.5 }, 'metronomoRig', 1, 'rig file')).toThrow('a whole number from 1 on');
});
