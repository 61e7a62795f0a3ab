import 'fake-indexeddb/auto';
import { database } from '../store/database';
import type { Take } from '../store/records';
import { analyzeStored } from './analyze-stored';

const hits = (lateMs: number) => {
  const samples = new Float32Array(48_000 * 6);
  for (let beat = 0; beat < 11; beat++)
    for (let i = 0, at = Math.round((100 + beat * 500 + lateMs) * 48); i < 600; i++)
      samples[at + i] = 0.5 * Math.cos(i * 0.3) * Math.exp(-i / 150);
  return samples;
};
const sound = [hits(0), hits(9.5)];
const load = (channel: number) => Promise.resolve(sound[channel] ?? new Float32Array());
const line = { gearId: 'a', name: 'A', channel: 1, landings: [], pulsesMs: [], onsetsMs: [] };
const keep = (id: string) =>
  database.takes.put({ id, sampleRate: 48_000, beats: { clickChannel: 0 }, lines: [line] } as unknown as Take);

/** Runs once during the analysis. */
const meanwhile = (happens: () => Promise<unknown>) => {
  let done = false;
  return async (channel: number) => {
    if (!done) {
      done = true;
      await happens();
    }
    return load(channel);
  };
};

test('a correction and a note made during the analysis are kept', async () => {
  await keep('t');
  const lines = [{ ...line, corrections: { 2: null } }] as unknown as Take['lines'];
  const corrects = meanwhile(() => database.takes.update('t', { lines, note: 'new cable' }));
  const measured = await analyzeStored('t', corrects);
  expect(measured.lines[0]).toMatchObject({ corrections: { 2: null }, report: { matched: 10 } });
  expect(await database.takes.get('t')).toMatchObject({ note: 'new cable', lines: [{ report: { matched: 10 } }] });
});

test('and one reverted during the analysis is reverted', async () => {
  await keep('t');
  const lines = [{ ...line, corrections: { 2: null } }] as unknown as Take['lines'];
  await database.takes.update('t', { lines });
  await analyzeStored(
    't',
    meanwhile(() => keep('t')),
  );
  expect((await database.takes.get('t'))!.lines[0]).toMatchObject({ report: { matched: 11 } });
});

test('a take deleted during the analysis stays deleted', async () => {
  await keep('t');
  await analyzeStored(
    't',
    meanwhile(() => database.takes.delete('t')),
  );
  expect(await database.takes.get('t')).toBeUndefined();
  await expect(analyzeStored('t', load)).rejects.toThrow('was deleted');
});

test('a take imported without audio keeps its figures, and its beats can be corrected', async () => {
  const pulsesMs = Array.from({ length: 12 }, (_, i) => i * 500);
  const heard = { ...line, pulsesMs, onsetsMs: pulsesMs.map((ms) => ms + 12.5), corrections: { 3: null } };
  await database.takes.put({
    ...{ id: 'silent', sampleRate: 0, frames: 0, beats: { clickChannel: 0 } },
    lines: [heard],
  } as unknown as Take);
  const none = () => Promise.resolve(new Float32Array());
  const { lines } = await analyzeStored('silent', none);
  expect(lines[0]).toMatchObject({ report: { medianMs: 12.5, matched: 11, missed: 0 } });
  expect(lines[0]!.problem).toBeUndefined();
  expect(lines[0]!.landings.map(({ pulse }) => pulse)).not.toContain(3);
});
