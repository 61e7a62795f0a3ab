import { BeatBox, type BeatBoxSettings } from '../standin/beat-box';
import { seededRandom } from '../standin/random';
import { Hub } from './hub';
import type { SourceSettings } from './source';

const CLOCK = { clock: true, transport: true, position: true, timecode: null };
const BAR_MS = 2000;

/** A hub at 120 BPM and a box that sends back what it receives, in virtual time. */
class Room {
  readonly hub = new Hub({ bpm: 120 });
  readonly box: BeatBox;
  #toBox: { bytes: Uint8Array; atMs: number }[] = [];
  #toHub: { bytes: Uint8Array; atMs: number }[] = [];
  #nowMs = 0;

  constructor(
    returns: BeatBoxSettings['returns'],
    { sends = CLOCK, ...source }: Partial<SourceSettings> & { sends?: object } = {},
    seed = 1,
  ) {
    const settings = { latencyMs: 0, jitterMs: 0, seed, ...(returns && { returns }) };
    this.box = new BeatBox(
      settings,
      () => undefined,
      (bytes, atMs) => this.#toHub.push({ bytes, atMs }),
    );
    const feed = { sends: { ...CLOCK, ...sends }, offsetMs: 0, clockWhileStopped: true };
    this.hub.setFeeds([{ id: 'box', portId: 'to-box', settings: feed }]);
    this.hub.setSources([{ id: 'box', portId: 'from-box', language: 'clock', ...source }]);
  }

  run(ms: number): void {
    for (const untilMs = this.#nowMs + ms; this.#nowMs < untilMs; this.#nowMs += 10) {
      this.#toBox.push(...this.hub.advance(this.#nowMs, 60));
      for (const { bytes, atMs } of due(this.#toBox, this.#nowMs)) this.box.receive(bytes, atMs);
      for (const { bytes, atMs } of due(this.#toHub, this.#nowMs)) this.hub.receive('from-box', bytes, atMs);
    }
  }

  get apart() {
    return this.hub.snapshot().sources[0]!.apart;
  }
}

/** Takes what is due out of a list. */
function due<One extends { atMs: number }>(list: One[], nowMs: number): One[] {
  const ready = list.filter(({ atMs }) => atMs <= nowMs).sort((a, b) => a.atMs - b.atMs);
  list.splice(0, list.length, ...list.filter(({ atMs }) => atMs > nowMs));
  return ready;
}

/** What a rolling room is read as after four bars. */
function afterFourBars(room: Room) {
  room.run(100);
  room.hub.command({ kind: 'play' });
  room.run(4 * BAR_MS + 500);
  const { apart } = room;
  if (apart?.kind !== 'rolling') throw new Error('Nothing was read.');
  return apart;
}

describe('200 boxes with up to 1 ms of jitter, after four bars', () => {
  test.each([
    ['clock', {}],
    ['timecode', { sends: { timecode: '25' as const }, language: 'timecode' as const }],
  ])('%s: within 0.5 ms of the truth, and the interval holds it', (_, settings) => {
    let holds = 0;
    for (let seed = 1; seed <= 200; seed++) {
      const random = seededRandom(Math.imul(seed, 0x9e3779b1));
      // More than a tick late, too: its ticks are counted.
      const lateMs = 45 * random.uniform();
      const jitterMs = random.uniform();
      const { lateMs: found, ci95Ms, counted, drifts } = afterFourBars(new Room({ lateMs, jitterMs }, settings, seed));
      expect({ counted, drifts }).toEqual({ counted: true, drifts: false });
      expect(Math.abs(found - lateMs)).toBeLessThan(0.5);
      if (ci95Ms[0] <= lateMs && lateMs <= ci95Ms[1]) holds++;
    }
    // Binomial: 95 % of 200 ± 3 deviations.
    expect(holds).toBeGreaterThan(180);
  });
});

test('jitter is read as it is', () => {
  const { jitterMs, landingsMs } = afterFourBars(new Room({ lateMs: 8, jitterMs: 0.8 }));
  expect(jitterMs).toBeGreaterThan(0.5);
  expect(jitterMs).toBeLessThan(1.1);
  expect(landingsMs).toHaveLength(16);
});

test('clock without start is known within one tick only, and says so', () => {
  const settings = { sends: { clock: true, transport: false, position: false } };
  const { lateMs, counted } = afterFourBars(new Room({ lateMs: 3, jitterMs: 0.2 }, settings));
  expect(counted).toBe(false);
  expect(lateMs).toBeCloseTo(3, 0);
});

test('a box on its own tempo drifts: its median means nothing', () => {
  const room = new Room(undefined);
  room.run(100);
  room.hub.command({ kind: 'play' });
  for (let tick = 0; tick < 300; tick++) {
    room.run(20);
    if (tick === 0) room.hub.receive('from-box', Uint8Array.of(0xfa), 200);
    room.hub.receive('from-box', Uint8Array.of(0xf8), 200 + tick * 20.3);
  }
  expect(room.apart).toMatchObject({ kind: 'rolling', drifts: true });
});

test('where each one stands is compared when both have stopped', () => {
  const room = new Room({ lateMs: 4, jitterMs: 0.1 });
  afterFourBars(room);
  room.hub.command({ kind: 'stop' });
  room.run(1000);
  expect(room.apart).toEqual({ kind: 'stopped', beats: expect.closeTo(0, 1) });
  // Somebody turned its song position by hand.
  room.hub.receive('from-box', Uint8Array.of(0xf2, 0, 0), 20_000);
  expect(room.apart).toEqual({ kind: 'stopped', beats: expect.closeTo(-room.hub.snapshot().beat, 6) });
});

test('nothing is read before there is enough, and nothing of the start before', () => {
  const room = new Room({ lateMs: 4, jitterMs: 0.1 });
  room.run(100);
  expect(room.apart).toBeNull();
  afterFourBars(room);
  room.hub.command({ kind: 'stop' });
  room.run(500);
  room.hub.command({ kind: 'play' });
  room.run(300);
  expect(room.apart).toBeNull();
});
