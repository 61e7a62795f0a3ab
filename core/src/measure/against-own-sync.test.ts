import { Hub } from '../hub/hub';
import { MidiParser } from '../midi/parser';
import { seededRandom } from '../standin/random';
import { TimeMaster } from '../standin/time-master';
import { againstOwnSync } from './against-own-sync';
import { measureLatency } from './measure-latency';

const { PI, abs, imul, sqrt } = Math;
const SILENT = { clock: false, transport: false, position: false, timecode: null };
const CLOCK = { clock: true, transport: true, position: true, timecode: null };
const SEEDS = 25;
/** Everyone has locked. */
const FROM_MS = 6000;

/** The clicks of a hub that follows a seeded clock, the leader's own hits, and how late these are against it. */
function follow(seed: number) {
  const random = seededRandom(imul(seed, 0x9e3779b1));
  const [jitterMs, soundDelayMs] = [random.uniform(), 40 * random.uniform()];
  const bpm = 80 + 80 * random.uniform();
  const offsetMs = seed % 2 === 0 ? 0 : 30 * random.uniform() - 10;
  const notes = { channel: 10, barNote: 76, beatNote: 77, velocity: 100 };
  const hub = new Hub({ bpm: 110 });
  hub.setFeeds([
    { id: 'c', portId: 'click', settings: { sends: SILENT, offsetMs: 0, clockWhileStopped: false, notes } },
  ]);
  hub.setSources([{ id: 'desk', portId: 'in', language: 'clock', offsetMs }]);
  hub.setLeaders(['desk']);
  const [hits, clicks]: [number[], number[]] = [[], []];
  const desk = new TimeMaster(
    { tempo: [{ beat: 0, bpm }], sends: CLOCK, crystalPpm: 100 * random.normal(), jitterMs, soundDelayMs, seed },
    (bytes, atMs) => void hub.receive('in', bytes, atMs),
    (ms) => hits.push(ms),
  );
  const parser = new MidiParser();
  for (let nowMs = 0; nowMs < 22_000; nowMs += 10) {
    desk.advance(nowMs);
    if (nowMs === 500) desk.play();
    for (const { bytes, atMs } of hub.advance(nowMs, 60))
      for (const { message } of parser.push(bytes, atMs)) if (message.kind === 'noteOn') clicks.push(atMs);
  }
  // Its messages are late by the size of a normal error, sqrt(2 / pi) of a deviation on average.
  return { hits, clicks, lateMs: soundDelayMs - sqrt(2 / PI) * jitterMs - offsetMs };
}

test('a leader’s sound against its own clock, with or without an offset: the interval holds the truth', () => {
  let holds = 0;
  for (let seed = 1; seed <= SEEDS; seed++) {
    const { hits, clicks, lateMs } = follow(seed);
    const heard = measureLatency({
      pulsesMs: clicks.filter((ms) => ms > FROM_MS),
      onsetsMs: hits.filter((ms) => ms > FROM_MS - 20),
    });
    const { medianMs, ci95Ms, believable } = againstOwnSync(heard);
    expect(believable).toBe(true);
    expect(abs(medianMs - lateMs)).toBeLessThan(0.15);
    if (ci95Ms[0] <= lateMs && lateMs <= ci95Ms[1]) holds++;
  }
  // 93% of 25, less two standard errors of such a share.
  expect(holds).toBeGreaterThanOrEqual(21);
});
