import { SyncReturnWatch } from '../follow/sync-return';
import { seededRandom } from '../standin/random';
import { framesToTimecode, type FrameRate } from '../timecode/timecode';
import { quarterFrames } from '../timecode/timecode-messages';
import { Hub } from './hub';

const PER_SECOND = { '25': 25, '30': 30 } as const;

interface Tape {
  id: string;
  rate: keyof typeof PER_SECOND & FrameRate;
  /** Its code is at 0 s at this time, ms. */
  zeroMs: number;
  jitterMs: number;
  untilMs: number;
}

/** A hub that only listens, and what the sources of timecode send it; jitter only ever delays. */
function listen(tapes: Tape[], forMs: number, seed: number) {
  const random = seededRandom(seed);
  const hub = new Hub({ bpm: 120 });
  hub.setSources(tapes.map(({ id }) => ({ id, portId: `from-${id}`, language: 'timecode' as const })));
  const all = tapes.flatMap(({ id, rate, zeroMs, jitterMs, untilMs }) => {
    const quarterMs = 250 / PER_SECOND[rate];
    const first = Math.ceil(Math.max(0, -zeroMs) / quarterMs / 8);
    const count = Math.floor((Math.min(forMs, untilMs) - zeroMs) / quarterMs / 8) - first;
    return Array.from({ length: Math.max(0, count) }, (_, i) => 2 * (first + i)).flatMap((frame) =>
      quarterFrames(framesToTimecode(frame, rate), rate).map((bytes, piece) => {
        const dueMs = zeroMs + (4 * frame + piece) * quarterMs;
        return { id, bytes, atMs: dueMs + jitterMs * random.uniform() };
      }),
    );
  });
  all.sort((a, b) => a.atMs - b.atMs);
  let next = 0;
  for (let nowMs = 0; nowMs < forMs; nowMs += 10) {
    for (; next < all.length && all[next]!.atMs <= nowMs; next++)
      hub.receive(`from-${all[next]!.id}`, all[next]!.bytes, all[next]!.atMs);
    hub.advance(nowMs, 60);
  }
  const behind = (id: string) => hub.snapshot().sources.find((one) => one.id === id)!.behind;
  return { hub, behind };
}

const tape = (id: string, zeroMs: number, more: Partial<Tape> = {}): Tape => ({
  id,
  rate: '25',
  zeroMs,
  jitterMs: 0,
  untilMs: Infinity,
  ...more,
});

test('200 pairs with up to 1 ms of jitter: how far one is behind the other is known within 0.5 ms', () => {
  let holds = 0;
  for (let seed = 1; seed <= 200; seed++) {
    const random = seededRandom(Math.imul(seed, 0x9e3779b1));
    const jitterMs = random.uniform();
    const lateMs = 400 * random.uniform() - 200;
    const rate = random.uniform() < 0.5 ? '25' : '30';
    const { behind } = listen([tape('a', 100, { jitterMs }), tape('b', 100 + lateMs, { jitterMs, rate })], 8000, seed);
    const { lateMs: found, ci95Ms, drifts, id } = behind('b')!;
    expect({ id, drifts }).toEqual({ id: 'a', drifts: false });
    expect(Math.abs(found - lateMs)).toBeLessThan(0.5);
    if (ci95Ms[0] <= lateMs && lateMs <= ci95Ms[1]) holds++;
    expect(behind('a')).toBeNull();
  }
  // Binomial: 95 % of 200 ± 3 deviations.
  expect(holds).toBeGreaterThan(180);
});

test('codes that began at different times are compared as they are: a minute behind is a minute', () => {
  const { behind } = listen([tape('a', -60_000), tape('b', 0)], 6000, 1);
  expect(behind('b')!.lateMs).toBeCloseTo(60_000, 3);
});

test('without a second one that rolls there is nothing to compare', () => {
  const { behind } = listen([tape('a', 0, { untilMs: 3000 }), tape('b', 20)], 6000, 1);
  expect([behind('a'), behind('b')]).toEqual([null, null]);
});

test('the leader is the one that others are compared with', () => {
  const { hub, behind } = listen([tape('a', 0), tape('b', 30)], 4000, 1);
  expect(behind('b')).toMatchObject({ id: 'a' });
  hub.setLeaders(['b', 'hub']);
  for (let frame = 0; frame < 200; frame += 2)
    for (const [id, lateMs] of [
      ['a', 0],
      ['b', 30],
    ] as const)
      quarterFrames(framesToTimecode(1000 + frame, '25'), '25').forEach((bytes, piece) =>
        hub.receive(`from-${id}`, bytes, 40_000 + (4 * frame + piece) * 10 + lateMs),
      );
  hub.advance(48_000, 60);
  expect(behind('b')).toBeNull();
});

test('timecode that is located elsewhere doesn’t drift: it is compared from there on', () => {
  const watch = new SyncReturnWatch();
  for (let i = 0; i < 60; i++) watch.code(12);
  watch.code(60_012);
  expect(watch.reading).toBeNull();
  for (let i = 0; i < 60; i++) watch.code(60_012);
  expect(watch.reading).toMatchObject({ lateMs: 60_012, drifts: false });
});
