import { seededRandom } from '../standin/random';
import { BEAT_VIEW_MS, ReturnWatch } from './return-watch';

const RATE = 48_000;

/** Clicks every 500 ms on channel 0, and 12 ms later on channel 1 until `endsMs`, so often; in blocks of 10 ms. */
function watch(toMs: number, endsMs = Infinity, everyMs = 500) {
  const watching = new ReturnWatch({ sampleRate: RATE, channels: 2, referenceChannel: 0 });
  for (let ms = 0; ms < toMs; ms += 10) {
    const block = (firstMs: number, lastMs: number, everyMs: number) =>
      Float32Array.from({ length: 480 }, (_, i) => {
        const atMs = ms + i / 48;
        const since = atMs < firstMs || atMs > lastMs ? 400 : (atMs - firstMs) % everyMs;
        return since > 20 ? 0 : 0.5 * Math.cos(since * 9) * Math.exp(-since / 3);
      });
    watching.push([block(1000, Infinity, 500), block(1012, endsMs, everyMs)], 5000 + ms);
  }
  return { ...watching.readings(120)[1]!, beat: watching.latestBeat() };
}

test('silent, then settling, then locked at the tempo and latency heard', () => {
  expect(watch(900)).toMatchObject({ state: 'silent', bpm: null, medianMs: null, lastHitMs: null });
  expect(watch(2400).state).toBe('settling');
  const reading = watch(6000);
  expect(reading.state).toBe('locked');
  expect(reading.bpm).toBeCloseTo(120, 1);
  expect(reading.medianMs).toBeCloseTo(12, 1);
  expect(reading.landings.map(({ pulse }) => pulse).at(-1)).toBe(0);
  expect(reading.lastHitMs).toBeCloseTo(5000 + 5512, 0);
  expect(reading.landedMs).toBeCloseTo(5000 + 5512, 0);
});

test.each([
  ['eighths', 250],
  ['triplets', 500 / 3],
  ['sixteenths', 125],
  ['half notes', 1000],
])('steady %s lock as well, at the tempo of the beat', (_, everyMs) => {
  const reading = watch(9000, Infinity, everyMs);
  expect(reading.state).toBe('locked');
  expect(reading.bpm).toBeCloseTo(120, 0);
  expect(reading.medianMs).toBeCloseTo(12, 1);
});

test('the noise at the start of listening isn’t a hit', () => {
  const random = seededRandom(4);
  const watch = new ReturnWatch({ sampleRate: 48_000, channels: 2, referenceChannel: 0 });
  const noise = () => Float32Array.from({ length: 480 }, () => 0.0004 * random.normal());
  for (let atMs = 5000; atMs < 6500; atMs += 10) watch.push([noise(), noise()], atMs);
  expect(watch.readings(120).map(({ lastHitMs, medianMs }) => [lastHitMs, medianMs])).toEqual([
    [null, null],
    [null, null],
  ]);
  expect(watch.latestBeat()).toBeNull();
});

test('when an analysis takes long, the next one waits longer', () => {
  const watch = new ReturnWatch({ sampleRate: 1000, channels: 1, referenceChannel: 0 });
  const looks = () => {
    let count = 0;
    for (let i = 0; i < 300; i++) if (watch.push([new Float32Array(10)], (at += 10))) count++;
    return count;
  };
  let at = 0;
  expect(looks()).toBe(12);
  watch.lookTook(100);
  expect(looks()).toBe(3);
});

test('lost when the hits stop', () => {
  expect(watch(8000, 5000)).toMatchObject({ state: 'lost', bpm: null });
});

test('the last beat is available: the click in place, the device after it', () => {
  expect(watch(900).beat).toBeNull();
  const [click, gear] = watch(6000).beat!;
  const first = (samples: Float32Array) => samples.findIndex((sample) => Math.abs(sample) > 0.2) / 48 + BEAT_VIEW_MS[0];
  expect(first(click!)).toBeCloseTo(0, 0);
  expect(first(gear!)).toBeCloseTo(12, 0);
});
