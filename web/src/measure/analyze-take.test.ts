import { isLeftOut, leaveSomeOut } from '../audio/played-clicks';
import type { Take } from '../store/records';
import { analyzeTake, tempoPlan } from './analyze-take';

const clicks = (lateMs: number, pitch = 0.3) => {
  const samples = new Float32Array(48_000 * 8);
  for (let beat = 0; beat < 15; beat++)
    for (let i = 0, at = Math.round((100 + beat * 500 + lateMs) * 48); i < 600; i++)
      samples[at + i] = 0.5 * Math.cos(i * pitch) * Math.exp(-i / 150);
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

const loaderOf = (sound: Float32Array[]) => (channel: number) => Promise.resolve(sound[channel] ?? new Float32Array());

test('each line is measured on its own channel; a silent one says so and affects no other', async () => {
  const measured = await analyzeTake(take, loaderOf([clicks(0), clicks(9.5), new Float32Array(48_000 * 8)]));
  expect(measured.lines[0]).toMatchObject({ report: { matched: 15, believable: true } });
  expect(measured.lines[0]!.report!.medianMs).toBeCloseTo(9.5, 1);
  expect(measured.lines[0]!.problem).toBeUndefined();
  expect(measured.lines[1]).toMatchObject({ report: null, problem: expect.stringContaining('silent') });
  expect(measured.frames).toBe(48_000 * 8);
});

/** A short sound at each of these times. */
const soundAt = (times: number[], seconds: number) => {
  const samples = new Float32Array(48_000 * seconds);
  for (const ms of times)
    for (let i = 0, at = Math.round(ms * 48); i < 600; i++)
      samples[at + i]! += 0.5 * Math.cos(i * 0.3) * Math.exp(-i / 150);
  return samples;
};
const line = { gearId: 'a', name: 'A', channel: 1 };
const beats = { clickChannel: 0 };

test.each([7.4, 120, 200.2, 249.9, 250, 612.5, 940])(
  'a round trip of %d ms is found at 240 BPM, in a take from the middle of playing',
  async (roundTripMs) => {
    leaveSomeOut(true);
    const played = Array.from({ length: 80 }, (_, i) => 60 + 250 * (i - 20)).filter(() => !isLeftOut());
    leaveSomeOut(false);
    const [lengthMs, seconds] = [4260, 5];
    const clicksMs = played.filter((ms) => ms >= 0 && ms < lengthMs);
    const heard = played.map((ms) => ms + roundTripMs).filter((ms) => ms >= 0 && ms < lengthMs);
    const path = {
      sampleRate: 48_000,
      beats: { bpm: 240, firstBeatMs: 60, clicksMs },
      plan: { question: 'calibration' },
      lines: [{ ...line, channel: 0 }],
    } as unknown as Take;
    const { lines } = await analyzeTake(path, loaderOf([soundAt(heard, seconds)]));
    expect(lines[0]!.report).toMatchObject({ medianMs: expect.closeTo(roundTripMs, 1), believable: true });
  },
);

test('a chase: each start is measured from its own first click, independently of the others', async () => {
  const startedMs = [1000, 8000, 15_000];
  const clicksOf = (start: number) => Array.from({ length: 10 }, (_, i) => start + 500 * i);
  const lands = [31, 48, 36];
  const clicks = startedMs.flatMap((ms) => clicksOf(ms + 20));
  const heard = startedMs.flatMap((ms, i) =>
    clicksOf(ms + 20)
      .slice(i + 1)
      .map((one) => one + lands[i]!),
  );
  const plan = { question: 'chase', startedMs };
  const chase = { sampleRate: 48_000, beats, plan, lines: [line] } as unknown as Take;
  const { lines } = await analyzeTake(chase, loaderOf([soundAt(clicks, 22), soundAt(heard, 22)]));
  const { result } = lines[0]!;
  if (result?.question !== 'chase') throw new Error('no chase');
  result.report.starts.forEach(({ landsMs, lockMs }, i) => {
    expect(landsMs).toBeCloseTo(lands[i]!, 0);
    expect(lockMs).toBeCloseTo(500 * (i + 1) + lands[i]!, -1);
  });
  expect(result.report.fitFor).toBe('cues');
});

test('a tempo change: a lagging follower differs from one that follows immediately', async () => {
  const plan = { question: 'tempo', beganMs: 500, bpm: 120, otherBpm: 150, beats: 16 } as const;
  const map = tempoPlan(plan);
  const pulses = Array.from({ length: 64 }, (_, beat) => 500 + 20 + map.msAt(beat));
  // 30 ms behind for the first two beats after the step, then settled.
  const heard = pulses.map((ms, beat) => ms + 12 + (beat === 16 || beat === 17 ? 30 : 0));
  const tempo = { sampleRate: 48_000, beats, plan, lines: [line] } as unknown as Take;
  const { lines } = await analyzeTake(tempo, loaderOf([soundAt(pulses, 32), soundAt(heard, 32)]));
  const { result } = lines[0]!;
  if (result?.question !== 'tempo') throw new Error('no change of tempo');
  expect(result.step.before.medianMs).toBeCloseTo(12, 0);
  expect(result.step.strayMs).toBeCloseTo(30, 0);
  expect(result.step.settledMs).toBeCloseTo(800, -1);
  expect(result.step.dependsMs.told).toBe(false);
  expect(result.ramp.settledMs).toBe(0);
  expect(lines[0]!.landings).toHaveLength(64);
});

test('a long run: each input has its own landings, and their slope is the drift', async () => {
  const run = Float64Array.from(
    Array.from({ length: 600 }, (_, k) => [1, 500 * k, 12 + 0.02 * k + 0.1 * Math.sin(k), 2, 500 * k, 5]).flat(),
  );
  const drift = {
    sampleRate: 0,
    beats,
    plan: { question: 'drift' },
    lines: [line, { ...line, channel: 2 }],
  } as unknown as Take;
  const { lines } = await analyzeTake(drift, loaderOf([]), run);
  const [one, other] = lines.map(({ result }) => (result?.question === 'drift' ? result.report : null));
  // 0.02 ms later every half second.
  expect(one!.ppm).toBeCloseTo(-40, 0);
  expect(one!.told).toBe(true);
  expect(other!.ppm).toBe(-0);
});

describe('against the sound of a leader, which plays at its own tempo', () => {
  const leads = { leader: 'Box', leaderId: null };
  const playing = (plan: object, played: number[], heard: number[], seconds: number) =>
    analyzeTake(
      { sampleRate: 48_000, beats, plan: { ...plan, ...leads }, lines: [line] } as unknown as Take,
      loaderOf([soundAt(played, seconds), soundAt(heard, seconds)]),
    );

  test('a follower that runs 400 ppm slow drifts by that; one that jumps says so instead', async () => {
    const played = Array.from({ length: 56 }, (_, beat) => 300 + 520 * beat);
    const slow = played.map((ms) => ms + 9 + 400e-6 * ms);
    const [drifting] = (await playing({ question: 'drift' }, played, slow, 30)).lines;
    if (drifting?.result?.question !== 'drift') throw new Error('no drift');
    expect(drifting.result.report.ppm).toBeCloseTo(-400, -1);
    expect(drifting.result.report.told).toBe(true);
    const jumps = played.map((ms, beat) => ms + (beat < 30 ? 9 : 24));
    const [jumping] = (await playing({ question: 'drift' }, played, jumps, 30)).lines;
    expect(jumping).toMatchObject({ report: null, problem: expect.stringContaining('It jumped by 15.0 ms') });
    expect(jumping?.result).toBeUndefined();
  });

  test('its change of tempo is found in its sound, and how the follower takes it', async () => {
    const map = tempoPlan({ bpm: 120, otherBpm: 140, beats: 16 });
    const played = Array.from({ length: 31 }, (_, beat) => 300 + map.msAt(beat) + 0.4 * Math.sin(7 * beat));
    const heard = played.map((ms, beat) => ms + 9 + (beat === 16 ? 22 : 0));
    const [measured] = (await playing({ question: 'tempoRun', beganMs: 0, tempo: [] }, played, heard, 16)).lines;
    if (measured?.result?.question !== 'tempoRun') throw new Error('no tempo');
    const { before, changes } = measured.result.report;
    expect(before.medianMs).toBeCloseTo(9, 1);
    expect(changes).toHaveLength(1);
    expect(changes[0]!.toBpm).toBeCloseTo(140, 0);
    expect(changes[0]!.strayMs).toBeCloseTo(22, 0);
  });

  test('a silent leader is named', async () => {
    const [measured] = (await playing({ question: 'drift' }, [], [500], 4)).lines;
    expect(measured?.problem).toMatch(/^The input of Box is silent/);
  });
});

test('corrections count, excluded beats don’t, and both can be reverted', async () => {
  const sound = loaderOf([clicks(0), clicks(9.5)]);
  const by = async (corrections: Record<string, number | null>) => {
    const corrected = { ...take, lines: [{ ...take.lines[0]!, corrections }] };
    return (await analyzeTake(corrected, sound)).lines[0]!;
  };
  const line = await by({ 3: 15, 4: null });
  expect(line.landings.find(({ pulse }) => pulse === 3)!.lateMs).toBe(15);
  expect(line.report).toMatchObject({ matched: 14, missed: 0 });
  expect((await by({})).report).toMatchObject({ matched: 15, missed: 0 });
});

test('a clipped and a very quiet input are reported and still measured', async () => {
  const loud = clicks(9.5).map((sample) => Math.max(-1, Math.min(1, 5 * sample)));
  const quiet = clicks(9.5, 0.1).map((sample) => sample / 200);
  const warned = async (gear: Float32Array) =>
    (await analyzeTake({ ...take, lines: take.lines.slice(0, 1) }, loaderOf([clicks(0), gear]))).lines[0]!;
  expect((await warned(loud)).warning).toContain('clipped');
  expect((await warned(quiet)).warning).toContain('very quiet');
  expect((await warned(quiet)).report!.medianMs).toBeCloseTo(9.5, 1);
  expect((await warned(clicks(9.5))).warning).toBeUndefined();
});

test('one at a time on one input: each line is measured in its own stretch, by click or fixed tempo', async () => {
  const click = Array.from({ length: 40 }, (_, i) => 500 + 500 * i);
  const turn = (from: number, to: number, lateMs: number) => click.slice(from, to).map((ms) => ms + lateMs);
  // Hits of the first device after its turn, while the second settles, count for neither.
  const heard = [...turn(0, 20, 12), ...turn(22, 40, 3)];
  const inTurn = [
    { ...line, within: [440, 440 + 16 * 500] },
    { ...line, gearId: 'b', name: 'B', within: [11_940, 11_940 + 16 * 500] },
  ];
  const sound = loaderOf([soundAt(click, 22), soundAt(heard, 22)]);
  for (const reference of [beats, { bpm: 120, firstBeatMs: 500 }]) {
    const take = { sampleRate: 48_000, beats: reference, lines: inTurn } as unknown as Take;
    const { lines } = await analyzeTake(take, sound);
    expect(lines.map(({ report }) => report)).toMatchObject([
      { matched: 16, missed: 0, extra: 0 },
      { matched: 16, missed: 0, extra: 0 },
    ]);
    expect(lines[0]!.report!.medianMs).toBeCloseTo(12, 1);
    expect(lines[1]!.report!.medianMs).toBeCloseTo(3, 1);
    expect(lines[1]!.pulsesMs[0]).toBeCloseTo(12_000, 0);
  }
});

test('a quiet copy of the click is no device: only the click is on that input', async () => {
  const bleed = clicks(3).map((sample) => sample / 100);
  const { lines } = await analyzeTake({ ...take, lines: take.lines.slice(0, 1) }, loaderOf([clicks(0), bleed]));
  expect(lines[0]).toMatchObject({
    report: { believable: false, findings: [{ kind: 'onlyClick' }, { kind: 'quiet' }] },
  });
  expect(lines[0]!.report!.bleedDb).toBeCloseTo(-40, 0);
});

test('a device that bleeds into the channel of a later one isn’t taken for it', async () => {
  const mix = (one: Float32Array, other: Float32Array) => one.map((sample, i) => sample + other[i]! / 40);
  const [early, late] = [clicks(4, 0.5), clicks(17, 0.11)];
  const measured = await analyzeTake(take, loaderOf([clicks(0), mix(late, early), mix(early, late)]));
  const [a, b] = measured.lines.map(({ report }) => report!);
  expect(a!.medianMs).toBeCloseTo(17, 1);
  expect(a!.besideDb).toBeCloseTo(-32, 0);
  expect(b!.medianMs).toBeCloseTo(4, 1);
  expect(b!.besideDb).toBeUndefined();
});

test('beats counted in frames are exact, whatever the hub’s time; a dropout ends the counting', async () => {
  const clicksMs = Array.from({ length: 15 }, (_, beat) => 100 + beat * 500);
  // The hub's time is off by 13.4 ms, as after a stall.
  const beats = { bpm: 120, firstBeatMs: 86.6, clicksMs };
  const lines = take.lines.slice(0, 1);
  const counted = await analyzeTake({ ...take, lines, beats }, loaderOf([clicks(0), clicks(9.5)]));
  expect(counted.lines[0]!.report!.medianMs).toBeCloseTo(9.5, 3);
  const broken = await analyzeTake({ ...take, lines, beats, gaps: 1 }, loaderOf([clicks(0), clicks(9.5)]));
  expect(broken.lines[0]).toMatchObject({ report: null, problem: expect.stringMatching('dropped out') });
});
