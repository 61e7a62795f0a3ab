import 'fake-indexeddb/auto';
import { findCalibration, findStaleCalibration, keepCalibration } from './calibrations';

const SOURCE = 'audio:interface';
const measured = {
  input: 'Interface',
  source: SOURCE,
  sampleRate: 48_000,
  roundTripMs: 12,
  bufferMs: 20,
  takeId: 'a',
  at: 1,
};
const found = async (label: string, sampleRate: number, bufferMs: number | null, sourceId = SOURCE) => {
  const rig = { input: { sourceId, label, clickChannel: 0 } };
  return (await findCalibration({ input: { label, sampleRate }, rig }, bufferMs))?.roundTripMs ?? null;
};

test('a round trip counts for its own device, sample rate and buffer only', async () => {
  await keepCalibration(measured);
  expect(await found('Interface', 48_000, 20.6)).toBe(12);
  expect(await found('Interface', 44_100, 20)).toBeNull();
  expect(await found('Interface', 48_000, 42)).toBeNull();
  expect(await found('Other', 48_000, 20)).toBeNull();
  expect(await found('Interface', 48_000, 20, 'audio:another')).toBeNull();
  expect(await findCalibration({ input: null, rig: null }, 20)).toBeNull();
  // While no audio flows the buffer isn't reported.
  expect(await found('Interface', 48_000, null)).toBe(12);
});

test('one that no longer counts says what changed; another device’s is none of this one’s business', async () => {
  await keepCalibration(measured);
  const why = async (sampleRate: number, bufferMs: number, sourceId = SOURCE) => {
    const rig = { input: { sourceId, label: 'Interface', clickChannel: 0 } };
    return (await findStaleCalibration({ input: { label: 'Interface', sampleRate }, rig }, bufferMs))?.why ?? null;
  };
  expect(await why(48_000, 20.6)).toBeNull();
  expect(await why(48_000, 42.67)).toBe('audio buffer was 20 ms, now 43 ms');
  expect(await why(44_100, 20)).toBe('sample rate was 48 kHz, now 44.1 kHz');
  expect(await why(44_100, 20, 'audio:another')).toBeNull();
});

test('one that was timed, not counted in frames, is no longer offered', async () => {
  const { source, ...timed } = { ...measured, input: 'Old interface' };
  await keepCalibration(timed);
  expect(await found('Old interface', 48_000, 20, source)).toBeNull();
});
