import 'fake-indexeddb/auto';
import { findCalibration, keepCalibration } from './calibrations';

const measured = { input: 'Interface', sampleRate: 48_000, roundTripMs: 12, bufferMs: 20, takeId: 'a', at: 1 };
const found = async (label: string, sampleRate: number, bufferMs: number | null) =>
  (await findCalibration({ label, sampleRate }, bufferMs))?.roundTripMs ?? null;

test('a round trip counts for its own input, sample rate and buffer only', async () => {
  await keepCalibration(measured);
  expect(await found('Interface', 48_000, 20.6)).toBe(12);
  expect(await found('Interface', 44_100, 20)).toBeNull();
  expect(await found('Interface', 48_000, 42)).toBeNull();
  expect(await found('Other', 48_000, 20)).toBeNull();
  expect(await findCalibration(null, 20)).toBeNull();
  // While no audio flows the buffer isn't reported.
  expect(await found('Interface', 48_000, null)).toBe(12);
});
