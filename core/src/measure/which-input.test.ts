import { BOATHOUSE } from '../standin/boathouse';
import { Studio } from '../standin/studio';
import { fromShelf } from '../rig/shelf';
import { probeBeats, probeMessages } from '../rig/probe';
import { ReturnWatch } from './return-watch';
import { whichInput } from './which-input';

/** Plays a probe into one port of the stand-in room and returns the hits on every input. */
function hitsAfter(portId: string, messages: { bytes: Uint8Array; atMs: number }[]) {
  const studio = new Studio(BOATHOUSE);
  const watch = new ReturnWatch({ sampleRate: 48_000, channels: studio.channels, referenceChannel: 0 });
  let next = 0;
  for (let nowMs = 0; nowMs < 5000; nowMs += 20) {
    for (; next < messages.length && messages[next]!.atMs < nowMs + 20; next++)
      studio.ports.get(portId)!.send(messages[next]!.bytes, messages[next]!.atMs);
    studio.advance(nowMs + 20);
    const block = studio.capture(nowMs);
    if (block) watch.push(block.channels, block.startMs);
  }
  return Array.from({ length: studio.channels }, (_, channel) => watch.hitsOn(channel));
}

const AT_MS = 1000;
const alone = BOATHOUSE.boxes.filter(
  ({ portId, kind }: { portId: string; kind?: string }) =>
    kind === undefined && BOATHOUSE.boxes.filter((one) => one.portId === portId).length === 1,
);

test.each(alone.map(({ portId, channel }) => [portId, channel] as const))(
  'the bar sent to %s comes back on input %d, in spite of the room microphone',
  (portId, channel) => {
    const hits = hitsAfter(portId, probeMessages(fromShelf('beatBox', ''), AT_MS));
    const found = whichInput(hits, probeBeats(AT_MS), new Set([0]));
    expect(found).toMatchObject({ channel, heard: 4, of: 4, sure: true });
    const { latencyMs } = alone.find((one) => one.portId === portId)!;
    expect(found!.lagMs).toBeGreaterThan(latencyMs);
    expect(found!.lagMs).toBeLessThan(latencyMs + 30);
  },
);

test('a synthesizer that has no start is found by notes on every channel', () => {
  const messages = probeMessages(fromShelf('effect', ''), AT_MS);
  const notes = messages.filter(({ bytes }) => (bytes[0]! & 0xf0) === 0x90);
  expect(notes).toHaveLength(64);
  expect(new Set(notes.map(({ bytes }) => bytes[0]! & 0x0f)).size).toBe(16);
});

test('a timecode follower is located, and not started', () => {
  expect(probeMessages(fromShelf('recorder', ''), AT_MS).map(({ bytes }) => bytes[0])).toEqual([0xf0]);
});

const hitsAt = (times: number[], level: number) => times.map((atMs) => ({ atMs, level }));
const SENT = [1000, 1500, 2000, 2500];
const later = (ms: number) => SENT.map((sent) => sent + ms);

test('bleed is quieter than the sound itself; two as loud are not sure', () => {
  const loud = hitsAt(later(21), 0.5);
  expect(whichInput([[], loud, hitsAt(later(22), 0.1)], SENT)).toMatchObject({ channel: 1, sure: true, lagMs: 21 });
  expect(whichInput([[], loud, hitsAt(later(22), 0.45)], SENT)).toMatchObject({ channel: 1, sure: false });
});

test('a pattern of eighths counts; somebody who plays in between does not, nor what is too slow', () => {
  const eighths = [...later(30), ...later(280)].sort((a, b) => a - b);
  expect(whichInput([hitsAt(eighths, 0.3)], SENT)).toMatchObject({ channel: 0, heard: 4, lagMs: 30 });
  expect(whichInput([hitsAt([1093, 1720, 2240], 0.9)], SENT)).toBeNull();
  expect(whichInput([hitsAt(later(480), 0.9)], [1000])).toBeNull();
  expect(whichInput([[], []], SENT)).toBeNull();
});

test('an input that is not asked about never counts', () => {
  expect(whichInput([hitsAt(later(5), 0.9)], SENT, new Set([0]))).toBeNull();
});
