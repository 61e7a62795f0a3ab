import { crc32, deflateRawSync } from 'node:zlib';
import { strToU8, zipSync, type Zippable } from 'fflate';

/** Files that mean harm or are hurt, made from good ones; for tests and for the benchmark. */
export interface HostileFile {
  name: string;
  bytes: Uint8Array;
}

/** Good files of each format, to begin with. */
export interface GoodFiles {
  rig: string;
  take: string;
  clock: string;
  table: string;
  messages: string;
  midi: Uint8Array;
  sound: Uint8Array;
  archive: Uint8Array;
}

const utf8 = (text: string) => strToU8(text);

/** Over five hundred, always the same. */
export function hostileFiles(good: GoodFiles): HostileFile[] {
  return [
    ...hostileJson('rig', good.rig, 'rig'),
    ...hostileJson('take', good.take, 'take'),
    ...hostileJson('clock take', good.clock, 'take'),
    ...hostileTables(good.table),
    ...hostileMessages(good.messages),
    ...hostileMidi(good.midi),
    ...hostileSound(good.sound),
    ...hostileArchives(good),
    ...[
      ['nothing at all', new Uint8Array()],
      ['one byte', Uint8Array.of(0)],
      ['zeros', new Uint8Array(100_000)],
      ['a page of the web', utf8('<!doctype html><script>alert(1)</script>')],
      ['a picture', Uint8Array.of(0x89, 0x50, 0x4e, 0x47, 13, 10, 26, 10, 0, 0)],
      ['words', utf8('due to the rain it was late\n'.repeat(1000))],
      ['more than 64 million letters', new Uint8Array(65_000_000).fill(0x61)],
    ].map(([name, bytes]) => ({ name: `other: ${name as string}`, bytes: bytes as Uint8Array })),
  ];
}

type Path = (string | number)[];

/** Every place in a value that holds no other, but for the lists of numbers, of which the first counts. */
function leaves(value: unknown, path: Path = []): Path[] {
  if (Array.isArray(value)) return value.slice(0, 1).flatMap((one, i) => leaves(one, [...path, i]));
  if (typeof value !== 'object' || value === null) return [path];
  return Object.entries(value).flatMap(([key, one]) => leaves(one, [...path, key]));
}

function withAt(value: unknown, [key, ...rest]: Path, put: unknown): unknown {
  if (key === undefined) return put;
  const copy: Record<string | number, unknown> = Array.isArray(value)
    ? ([...(value as unknown[])] as unknown as Record<number, unknown>)
    : { ...(value as object) };
  copy[key] = withAt(copy[key], rest, put);
  return copy;
}

/** What no field of a record can be. */
const WRONG = [{ hostile: [true] }];
/** Fields of which the reader takes anything, or makes up for what is missing. */
const GIVEN_ANEW = /^rig\.(id|demo)$/;
const FORGIVEN = /^(tested|accepted|inSections|corrections|kind|icon|sourceId)$/;

export function hostileJson(name: string, text: string, root: string): HostileFile[] {
  const value = JSON.parse(text) as Record<string, unknown>;
  const paths = leaves(value[root], [root]).filter(
    (path) => !GIVEN_ANEW.test(path.join('.')) && !path.some((key) => FORGIVEN.test(String(key))),
  );
  const step = Math.max(1, Math.ceil(paths.length / 60));
  const wrongTypes = paths
    .filter((_, i) => i % step === 0)
    .flatMap((path) =>
      WRONG.map((put) => ({
        name: `${name}: ${path.join('.')} is of another type`,
        bytes: utf8(JSON.stringify(withAt(value, path, put))),
      })),
    );
  const truncated = Array.from({ length: 20 }, (_, i) => ({
    name: `${name}: cut off after ${i + 1}/21`,
    bytes: utf8(text.slice(0, Math.floor((text.length * (i + 1)) / 21))),
  }));
  const keyed = (key: string) => utf8(text.replace('{', `{"${key}":{"polluted":true},`));
  const deep = '['.repeat(100_000) + ']'.repeat(100_000);
  const latin = Uint8Array.from([...text.replace('"id":"', '"id":"ü')].slice(0, 20_000), (letter) =>
    letter.charCodeAt(0),
  );
  const utf16 = (bigEndian: boolean) => {
    const bytes = new Uint8Array(2 + 2 * text.length);
    const view = new DataView(bytes.buffer);
    view.setUint16(0, 0xfeff, !bigEndian);
    for (let i = 0; i < text.length; i++) view.setUint16(2 + 2 * i, text.charCodeAt(i), !bigEndian);
    return bytes;
  };
  const others: [string, Uint8Array][] = [
    ['__proto__ as a key', keyed('__proto__')],
    ['constructor as a key', keyed('constructor')],
    ['prototype as a key', keyed('prototype')],
    ['__proto__ deep inside', utf8(text.replace('"id":', '"__proto__":{"admin":true},"id":'))],
    ['a hundred thousand deep', utf8(text.replace('{', `{"deep":${deep},`))],
    ['a hundred thousand deep and never closed', utf8('{"metronomoTake":1,"take":' + '{"a":'.repeat(100_000))],
    ['of a later version', utf8(text.replace(/":1,/, '":999,'))],
    ['of version minus one', utf8(text.replace(/":1,/, '":-1,'))],
    ['of version “one”', utf8(text.replace(/":1,/, '":"one",'))],
    ['a list', utf8(`[${text}]`)],
    ['in Latin 1', latin],
    ['in UTF-16, little end first', utf16(false)],
    ['in UTF-16, big end first', utf16(true)],
    [`${root} is null`, utf8(JSON.stringify({ ...value, [root]: null }))],
    [`${root} is a list`, utf8(JSON.stringify({ ...value, [root]: [] }))],
    [`${root} is missing`, utf8(JSON.stringify({ ...value, [root]: undefined }))],
    [`${root} is empty`, utf8(JSON.stringify({ ...value, [root]: {} }))],
    ['a name of a million letters', utf8(text.replace(/"name":"[^"]*"/, `"name":"${'a'.repeat(1_000_000)}"`))],
    ['an id of a million letters', utf8(text.replace(/"id":"[^"]*"/, `"id":"${'a'.repeat(1_000_000)}"`))],
    [
      'a number without end',
      utf8(text.replace(/"bpm":[\d.]+/, '"bpm":1e999').replace(/"startedAt":\d+/, '"startedAt":1e999')),
    ],
    ['two values in one file', utf8(text + text)],
  ];
  return [...wrongTypes, ...truncated, ...others.map(([what, bytes]) => ({ name: `${name}: ${what}`, bytes }))];
}

function hostileTables(table: string): HostileFile[] {
  const [head = '', ...rows] = table.trim().split('\r\n');
  const columns = head.split(',');
  const row = (change: Record<string, string>) => {
    const cells = (rows[0] ?? '').split(',');
    return [head, cells.map((cell, i) => change[columns[i] ?? ''] ?? cell).join(','), ...rows.slice(1)].join('\r\n');
  };
  const numbers = ['due_ms', 'late_ms', 'offset_ms'];
  const cells = [
    '=1+1',
    '=HYPERLINK("x")',
    '+cmd|calc',
    '@SUM(A1)',
    '-2+3',
    'NaN',
    'Infinity',
    '1e999',
    'twelve',
    '1,5',
    '0x1F!',
  ];
  const wrong = numbers.flatMap((column) =>
    cells.map((cell) => [
      `${column} is ${cell}`,
      row({ [column]: cell.includes(',') || cell.includes('"') ? `"${cell.replaceAll('"', '""')}"` : cell }),
    ]),
  );
  const others = [
    ...['gear', 'due_ms', 'late_ms'].map((column) => [`no column ${column}`, table.replace(column, 'other')]),
    ['no row', head],
    ['gear without a name', row({ gear: '' })],
    ['a quote that never ends', `${head}\r\n"${rows.join('\r\n')}`],
    ['too many cells', `${head}\r\n${rows[0]},1,2,3`],
    ['too few cells', `${head}\r\na,b`],
    [
      'seventy followers',
      [head, ...Array.from({ length: 70 }, (_, i) => row({ gear: `gear ${i}` }).split('\r\n')[1])].join('\r\n'),
    ],
    [
      'two hundred thousand rows and more',
      [head, ...Array.from({ length: 200_003 }, () => 'a,,b,1,1,1,0')].join('\r\n'),
    ],
  ];
  return [...wrong, ...others].map(([what, text]) => ({ name: `table: ${what}.csv`, bytes: utf8(text ?? '') }));
}

function hostileMessages(messages: string): HostileFile[] {
  const [first = '', ...lines] = messages.trim().split('\n');
  const line = (bad: string) => [first, bad, ...lines].join('\n');
  const bad = [
    ...[
      '-1 in "a" F8',
      'NaN in "a" F8',
      '1e999 in "a" F8',
      '1 up "a" F8',
      '1 in a F8',
      '1 in "a F8',
      '1 in "a"',
      '1 in "a" F',
      '1 in "a" FG',
    ],
    ...[
      '1 in "a" f8',
      '1 in "\\u12" F8',
      '1,5 in "a" F8',
      'in "a" F8',
      '1 in "a" F8 F8F8',
      '=1+1',
      '\u0000',
      '1\tin\t"a"\tF8',
      '. in "a" F8',
      '1 in "\\" F8',
    ],
    `1 in "a" ${'F8 '.repeat(100_000)}`,
  ].map((text) => [text.slice(0, 40), line(text)]);
  const others = [
    ['another version', messages.replace('messages 1', 'messages 2')],
    ['a million lines and more', first + '\n' + '1 in "a" F8\n'.repeat(1_000_001)],
  ];
  return [...bad, ...others].map(([what, text]) => ({ name: `messages: ${what}`, bytes: utf8(text ?? '') }));
}

function put(bytes: Uint8Array, at: number, ...values: number[]): Uint8Array {
  const copy = bytes.slice();
  copy.set(values, at);
  return copy;
}

function hostileMidi(midi: Uint8Array): HostileFile[] {
  const truncated = Array.from({ length: 40 }, (_, i): [string, Uint8Array] => {
    const length = 4 + Math.floor(((midi.length - 5) * i) / 40);
    return [`cut off after ${length} bytes`, midi.slice(0, length)];
  });
  const tracks = put(midi, 10, 0xff, 0xff);
  const others: [string, Uint8Array][] = [
    ['a head of four billion bytes', put(midi, 4, 0xff, 0xff, 0xff, 0xff)],
    ['a track of four billion bytes', put(midi, 18, 0xff, 0xff, 0xff, 0xff)],
    ['a track longer than the file', put(midi, 18, 0, 1, 0xff, 0xff)],
    ['format 2', put(midi, 9, 2)],
    ['format 255', put(midi, 9, 255)],
    ['65535 tracks', tracks],
    ['time in frames', put(midi, 12, 0xe7, 0x28)],
    ['no ticks in a beat', put(midi, 12, 0, 0)],
    ['a number of five bytes', put(midi, 22, 0xff, 0xff, 0xff, 0xff, 0xff)],
    ['a data byte without status', put(midi, 23, 0x40)],
    ['a status that no file has', put(midi, 23, 0xf4)],
    ['an event longer than its track', put(midi, 22, 0, 0xff, 0x03, 0xff, 0xff, 0xff, 0x7f)],
  ];
  return [...truncated, ...others].map(([what, bytes]) => ({ name: `midi: ${what}`, bytes }));
}

function hostileSound(sound: Uint8Array): HostileFile[] {
  const truncated = Array.from({ length: 30 }, (_, i): [string, Uint8Array] => {
    const length = i < 11 ? 4 + 4 * i : 44 + Math.floor(((sound.length - 45) * (i - 11)) / 19);
    return [`cut off after ${length} bytes`, sound.slice(0, length)];
  });
  const others: [string, Uint8Array][] = [
    ['more sound than there is', put(sound, 40, 0xff, 0xff, 0xff, 0x7f)],
    ['no channel', put(sound, 22, 0, 0)],
    ['65535 channels', put(sound, 22, 0xff, 0xff)],
    ['no sample rate', put(sound, 24, 0, 0, 0, 0)],
    ['four billion samples a second', put(sound, 24, 0xff, 0xff, 0xff, 0xff)],
    ['no bits', put(sound, 34, 0, 0)],
    ['7 bits', put(sound, 34, 7, 0)],
    ['64 bits', put(sound, 34, 64, 0)],
    ['an encoding that nobody knows', put(sound, 20, 0x99, 0x99)],
    ['a format chunk of four billion bytes', put(sound, 16, 0xff, 0xff, 0xff, 0xff)],
    ['a format chunk of nothing', put(sound, 16, 0, 0, 0, 0)],
    ['no WAVE', put(sound, 8, 0x41, 0x56, 0x49, 0x20)],
    ['sound before its format', put(sound, 12, 0x64, 0x61, 0x74, 0x61)],
    ['no sound', put(sound, 36, 0x6a, 0x75, 0x6e, 0x6b)],
  ];
  return [...truncated, ...others].map(([what, bytes]) => ({ name: `sound: ${what}`, bytes }));
}

function hostileArchives({ rig, take, clock, table, sound, archive }: GoodFiles): HostileFile[] {
  const head = utf8('{"metronomoData":1}');
  const zip = (files: Zippable) => zipSync({ 'metronomo.json': head, ...files });
  const truncated = Array.from({ length: 40 }, (_, i): [string, Uint8Array] => {
    const length = 4 + Math.floor(((archive.length - 5) * i) / 40);
    return [`cut off after ${length} bytes`, archive.slice(0, length)];
  });
  // In what is packed, and in what is said of it; not in times and the like, which nobody reads.
  const { from, length } = largestData(archive);
  const flipped = Array.from({ length: 60 }, (_, i): [string, Uint8Array] => {
    const at = from + Math.floor(((length - 1) * i) / 60);
    return [`a bit turned at ${at}`, put(archive, at, (archive[at] ?? 0) ^ 0x10)];
  });
  const broken = hostileJson('rig in a ZIP', rig, 'rig').filter((_, i) => i % 4 === 0);
  const inside = broken.map(({ name, bytes }): [string, Uint8Array] => [name, zip({ 'rigs/a.json': bytes })]);
  const packed: [string, Uint8Array][] = [
    ['no metronomo.json', zipSync({ 'rigs/a.json': utf8(rig) })],
    ['of a later version', zipSync({ 'metronomo.json': utf8('{"metronomoData":9}') })],
    ['metronomo.json is no JSON', zipSync({ 'metronomo.json': utf8('hello') })],
    ['a name that climbs out', zip({ '../../rigs/a.json': utf8(rig) })],
    ['a name from the root', zip({ '/etc/a.json': utf8(rig) })],
    ['a name with a drive', zip({ 'C:\\a.json': utf8(rig) })],
    ['a name of a zero', zip({ 'rigs/\u0000.json': utf8(rig) })],
    ['60 MB of nothing, packed small', bombZip(zip, 'rigs/a.json', 60_000_000)],
    ['20 MB of nothing in a take', bombZip(zip, 'takes/a/take.json', 20_000_000)],
    [
      'fifty thousand files and more',
      zip(
        Object.fromEntries(
          Array.from({ length: 50_001 }, (_, i) => [`x/${i}`, [new Uint8Array(), { level: 0 }]]),
        ) as Zippable,
      ),
    ],
    [
      'sound at another rate',
      zip({ 'takes/a/take.json': utf8(take), 'takes/a/sound.wav': put(sound, 24, 0x80, 0x3e, 0, 0) }),
    ],
    ['sound that is none', zip({ 'takes/a/take.json': utf8(take), 'takes/a/sound.wav': utf8(table) })],
    ['the clock’s take as a take', zip({ 'takes/a/take.json': utf8(clock) })],
    ['one take twice', zip({ 'takes/a/take.json': utf8(take), 'takes/b/take.json': utf8(take) })],
    ['history that is no list', zip({ 'history.json': utf8('{}') })],
    ['history with prototype keys', zip({ 'history.json': utf8('[{"__proto__":{"admin":true}}]') })],
    ['sets of nothing', zip({ 'offset-sets.json': utf8('[null]') })],
    ['a stream without messages', zip({ 'streams/a/stream.json': utf8('{"metronomoStream":1,"stream":{}}') })],
    [
      'one that announces less than it unpacks',
      lyingZip(zip({ 'rigs/a.json': [utf8(rig.padEnd(5_000_000)), { level: 9 }] }), 10),
    ],
    [
      'one that announces more than it unpacks',
      lyingZip(zip({ 'rigs/a.json': [utf8(rig), { level: 9 }] }), 40_000_000),
    ],
    ['one that says it is encrypted', encryptedZip(zip({}))],
  ];
  return [...truncated, ...flipped, ...inside, ...packed].map(([what, bytes]) => ({ name: `archive: ${what}`, bytes }));
}

const LOCAL_HEAD = 30;

/** Where the packed bytes of its largest file lie. */
function largestData(zip: Uint8Array): { from: number; length: number } {
  const view = new DataView(zip.buffer, zip.byteOffset);
  const all = centralHeads(zip).map((at) => {
    const local = view.getUint32(at + 42, true);
    const head = LOCAL_HEAD + view.getUint16(local + 26, true) + view.getUint16(local + 28, true);
    return { from: local + head, length: view.getUint32(at + 20, true) };
  });
  return all.reduce((largest, one) => (one.length > largest.length ? one : largest));
}

function centralHeads(zip: Uint8Array): number[] {
  const view = new DataView(zip.buffer, zip.byteOffset);
  const end = zip.length - 22;
  const heads: number[] = [];
  for (let at = view.getUint32(end + 16, true); at < end && view.getUint32(at, true) === 0x02014b50;) {
    heads.push(at);
    at += 46 + view.getUint16(at + 28, true) + view.getUint16(at + 30, true) + view.getUint16(at + 32, true);
  }
  return heads;
}

/** So many zeros, packed to a thousandth. */
function bombZip(zip: (files: Zippable) => Uint8Array, name: string, size: number): Uint8Array {
  const zeros = new Uint8Array(size);
  const copy = zip({ [name]: [new Uint8Array(deflateRawSync(zeros)), { level: 0 }] }).slice();
  const view = new DataView(copy.buffer);
  const central = centralHeads(copy).at(-1) ?? 0;
  const local = view.getUint32(central + 42, true);
  // [of the central head, of the local one]: method, sum and size.
  for (const at of [central + 10, local + 8]) view.setUint16(at, 8, true);
  for (const at of [central + 16, local + 14]) view.setUint32(at, crc32(zeros), true);
  for (const at of [central + 24, local + 22]) view.setUint32(at, size, true);
  return copy;
}

/** The size that its last file is said to have, in both places where that is said. */
function lyingZip(zip: Uint8Array, size: number): Uint8Array {
  const copy = zip.slice();
  const view = new DataView(copy.buffer);
  const central = centralHeads(copy).at(-1) ?? 0;
  view.setUint32(central + 24, size, true);
  view.setUint32(view.getUint32(central + 42, true) + 22, size, true);
  return copy;
}

function encryptedZip(zip: Uint8Array): Uint8Array {
  const copy = zip.slice();
  const view = new DataView(copy.buffer);
  for (const central of centralHeads(copy)) {
    view.setUint16(central + 8, 1, true);
    view.setUint16(view.getUint32(central + 42, true) + 6, 1, true);
  }
  return copy;
}
