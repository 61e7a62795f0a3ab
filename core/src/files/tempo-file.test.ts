import fc from 'fast-check';
import { parseMidi, writeMidi } from 'midi-file';
import { songMaps, type Section } from '../tempo/song';
import { TempoMap, type TempoPoint } from '../tempo/tempo-map';
import { MidiFileError, readSmf, variableLength } from './smf';
import { readSongFile, readTempoFile, writeSongFile, writeTempoFile } from './tempo-file';

test('variable-length numbers match the standard (RP-001; values recalled, not copied from the page)', () => {
  const written = [0, 0x40, 0x7f, 0x80, 0x2000, 0x3fff, 0x4000, 0x100000, 0x1fffff, 0x200000, 0x08000000, 0x0fffffff];
  expect(written.map((value) => Buffer.from(variableLength(value)).toString('hex'))).toEqual([
    ...['00', '40', '7f', '8100', 'c000', 'ff7f', '818000', 'c08000', 'ffff7f', '81808000', 'c0808000', 'ffffff7f'],
  ]);
  expect(() => variableLength(0x10000000)).toThrow(RangeError);
});

test('120 BPM is FF 51 03 07 A1 20', () => {
  const hex = Buffer.from(writeTempoFile([{ beat: 0, bpm: 120 }])).toString('hex');
  expect(hex).toContain('00ff510307a120');
});

const map: TempoPoint[] = [
  { beat: 0, bpm: 71.5 },
  { beat: 32, bpm: 79.3, curve: 'linear' },
  { beat: 64, bpm: 120 },
  { beat: 100.5, bpm: 98.2 },
];

test('a second library reads the same tempos at the same ticks, and its output is read here', () => {
  const file = parseMidi(writeTempoFile(map, { ticksPerBeat: 480, name: 'Salt Ledger' }));
  expect(file.header).toMatchObject({ format: 0, numTracks: 1, ticksPerBeat: 480 });
  let tick = 0;
  const tempos = file.tracks[0]!.flatMap((event) => {
    tick += event.deltaTime;
    return event.type === 'setTempo' ? [[tick / 480, event.microsecondsPerBeat]] : [];
  });
  const ours = readTempoFile(writeTempoFile(map, { ticksPerBeat: 480 }));
  expect(ours.map(({ beat, bpm }) => [beat, Math.round(60e6 / bpm)])).toEqual(tempos);
  const theirs = writeMidi({
    header: { format: 1, numTracks: 2, ticksPerBeat: 96 },
    tracks: [
      [
        { deltaTime: 0, meta: true, type: 'setTempo', microsecondsPerBeat: 500_000 },
        { deltaTime: 192, meta: true, type: 'setTempo', microsecondsPerBeat: 756_620 },
        { deltaTime: 0, meta: true, type: 'endOfTrack' },
      ],
      [
        { deltaTime: 0, type: 'noteOn', channel: 0, noteNumber: 60, velocity: 90 },
        { deltaTime: 96, type: 'noteOff', channel: 0, noteNumber: 60, velocity: 0 },
        { deltaTime: 0, meta: true, type: 'endOfTrack' },
      ],
    ],
  });
  expect(readTempoFile(Uint8Array.from(theirs))).toEqual([
    { beat: 0, bpm: 120 },
    { beat: 2, bpm: 79.3 },
  ]);
});

test('steps survive a round trip; a ramp’s steps stay within 1 ms at every beat', () => {
  const steps = map.map(({ beat, bpm }) => ({ beat, bpm }));
  expect(readTempoFile(writeTempoFile(steps))).toEqual(steps);
  fc.assert(
    fc.property(
      fc.double({ min: 30, max: 290, noNaN: true }),
      fc.double({ min: 30, max: 290, noNaN: true }),
      fc.integer({ min: 1, max: 400 }),
      (from, to, beats) => {
        const ramp = new TempoMap([
          { beat: 0, bpm: from, curve: 'linear' },
          { beat: beats, bpm: to },
        ]);
        const read = new TempoMap(readTempoFile(writeTempoFile([...ramp.points])));
        for (let beat = 0; beat <= beats; beat += 0.25)
          expect(Math.abs(read.msAt(beat) - ramp.msAt(beat))).toBeLessThan(1);
      },
    ),
    { seed: 50, numRuns: 60 },
  );
});

const section = (name: string, bars: number, bpm: number, more: Partial<Section> = {}): Section => ({
  ...{ name, bars, bpm, toBpm: null, beatsPerBar: 4, beatUnit: 4 },
  ...more,
});

test('a song with an intro at another tempo keeps its sections in a file', () => {
  const sections = [
    section('Intro', 4, 71.5),
    section('Söng', 16, 79.3),
    section('Bridge', 3, 79.3, { beatsPerBar: 7, beatUnit: 8 }),
  ];
  const { beginsAt, lengthBeats, tempo } = songMaps(sections);
  expect(beginsAt).toEqual([0, 16, 80]);
  expect(lengthBeats).toBe(80 + 3 * 3.5);
  const times = new TempoMap(tempo);
  expect(times.msAt(16)).toBeCloseTo(16 * 839.161, 1); // 71.5 BPM: 839.161 ms per quarter
  expect(times.msAt(17) - times.msAt(16)).toBeCloseTo(756.62, 2);
  const { name, sections: again } = readSongFile(writeSongFile(sections, 'Salt Ledger'));
  expect(name).toBe('Salt Ledger');
  expect(again.slice(0, 2)).toEqual(sections.slice(0, 2));
  expect(again[2]).toMatchObject({ name: 'Bridge', bpm: 79.3, beatsPerBar: 7, beatUnit: 8 });
});

test('a ramp reaches its tempo at the end of its section, and the next section starts at its own', () => {
  const { tempo } = songMaps([section('Coda', 8, 80, { toBpm: 100 }), section('End', 2, 60)]);
  const map = new TempoMap(tempo);
  expect(map.bpmAt(16)).toBeCloseTo(90, 4);
  expect(map.bpmAt(31.999)).toBeCloseTo(100, 2);
  expect(map.bpmAt(32)).toBe(60);
  expect(() => songMaps([])).toThrow('at least one section');
  expect(() => songMaps([section('None', 0, 80)])).toThrow('Section 1 (None)');
});

const good = writeTempoFile(map, { name: 'x' });
test.each<[string, Uint8Array, RegExp]>([
  ['nothing', new Uint8Array(0), /Byte 0: expected 4 more bytes/],
  ['another file', Uint8Array.from(Buffer.from('RIFF____WAVE')), /Byte 0: expected “MThd”/],
  ['cut in a track', good.slice(0, good.length - 5), /Byte 18: chunk length .* exceeds/],
  ['format 2', Uint8Array.from([...good.slice(0, 9), 2, ...good.slice(10)]), /Byte 8: MIDI file format 2/],
  [
    'frames in place of ticks',
    Uint8Array.from([...good.slice(0, 12), 0xe7, 0x28, ...good.slice(14)]),
    /Byte 12: unsupported time division/,
  ],
  [
    'a data byte first',
    Uint8Array.from([...good.slice(0, 18), 0, 0, 0, 2, 0, 0x40]),
    /Byte 23: data byte without a status/,
  ],
])('%s: the error names the byte', (_, bytes, words) => {
  expect(() => readTempoFile(bytes)).toThrow(words);
  expect(() => readSmf(bytes)).toThrow(MidiFileError);
});

test('reading arbitrary bytes ends with points or with its own error', () => {
  fc.assert(
    fc.property(fc.uint8Array({ maxLength: 200 }), fc.nat(good.length), (noise, at) => {
      const spoilt = Uint8Array.from([...good.slice(0, at), ...noise, ...good.slice(at)]);
      try {
        for (const { bpm } of readTempoFile(spoilt)) expect(bpm).toBeGreaterThan(0);
        readSongFile(spoilt);
      } catch (error) {
        expect(error).toBeInstanceOf(MidiFileError);
      }
    }),
    { seed: 51, numRuns: 500 },
  );
});
