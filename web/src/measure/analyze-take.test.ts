import type { Take } from '../store/records';
import { analyzeTake } from './analyze-take';

const clicks = (lateMs: number) => {
  const samples = new Float32Array(48_000 * 8);
  for (let beat = 0; beat < 15; beat++)
    for (let i = 0, at = Math.round((100 + beat * 500 + lateMs) * 48); i < 600; i++)
      samples[at + i] = 0.5 * Math.cos(i * 0.3) * Math.exp(-i / 150);
  return samples;
};
const take = {
  sampleRate: 48_000,
  beats: { clickChannel: 0 },
  lines: [
    { gearId: 'a', name: 'A', channel: 1, problem: 'from before' },
    { gearId: 'b', name: 'B', channel: 2 },
  ],
} as unknown as Take;

test('each line is measured on its own channel; one that is silent says so and spoils no other', () => {
  const measured = analyzeTake(take, [clicks(0), clicks(9.5), new Float32Array(48_000 * 8)]);
  expect(measured.lines[0]).toMatchObject({ report: { matched: 15, believable: true } });
  expect(measured.lines[0]!.report!.medianMs).toBeCloseTo(9.5, 1);
  expect(measured.lines[0]!.problem).toBeUndefined();
  expect(measured.lines[1]).toMatchObject({ report: null, problem: expect.stringContaining('silent') });
  expect(measured.frames).toBe(48_000 * 8);
});
