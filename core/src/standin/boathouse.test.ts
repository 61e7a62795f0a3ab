import type { FeedSettings } from '../feed/feed-settings';
import { Hub } from '../hub/hub';
import type { Feed } from '../hub/lines';
import { solveOffsets } from '../align/solve-offsets';
import { analyzeRecording } from '../measure/analyze-recording';
import { BOATHOUSE } from './boathouse';
import { Keyboard } from './keyboard';
import { LINKS, type LinkSettings } from './link';
import { Studio } from './studio';

const silent = { clock: false, transport: false, position: false, timecode: null };
const settings = (change: Partial<FeedSettings>): FeedSettings => ({
  sends: { clock: true, transport: true, position: true, timecode: null },
  offsetMs: 0,
  clockWhileStopped: false,
  ...change,
});
const click = settings({ sends: silent, notes: { channel: 10, barNote: 76, beatNote: 77, velocity: 100 } });

/** The whole path in virtual time: play twenty beats and capture them. */
function take(offsets: Record<string, number>) {
  const hub = new Hub({ bpm: 79.3 });
  const studio = new Studio(BOATHOUSE);
  const feeds: Feed[] = BOATHOUSE.boxes.map(({ portId }) => ({
    id: portId,
    portId,
    settings: settings({ offsetMs: offsets[portId] ?? 0 }),
  }));
  hub.setFeeds([{ id: 'click', portId: 'click', settings: click }, ...feeds]);
  const recorded: Float32Array[][] = [];
  for (let nowMs = 1000; nowMs < 17_000; nowMs += 10) {
    if (nowMs === 1500) hub.command({ kind: 'play' });
    for (const { portId, bytes, atMs } of hub.advance(nowMs, 60)) studio.ports.get(portId)?.send(bytes, atMs);
    const block = studio.capture(nowMs);
    if (block) recorded.push(block.channels);
  }
  return Array.from({ length: BOATHOUSE.soundInterface.channels }, (_, channel) => {
    const whole = new Float32Array(recorded.reduce((sum, [first]) => sum + first!.length, 0));
    let at = 0;
    for (const channels of recorded) {
      whole.set(channels[channel]!, at);
      at += channels[channel]!.length;
    }
    return whole;
  });
}

const outOfTime = take({});
/** Mean delay of the cable: its own, the byte on the line, half a poll. */
const roadMs = ({ delayMs, byteMs = 0, pollMs = 0 }: LinkSettings) => delayMs + byteMs + pollMs / 2;

test('measurements match the hidden latencies, and after aligning everyone is on the beat', () => {
  const recording = outOfTime;
  const readings = BOATHOUSE.boxes.map(({ portId, channel = -1, latencyMs, jitterMs, cable = LINKS.splitBox }) => {
    const { report } = analyzeRecording(recording[channel]!, 48_000, { click: recording[0]! });
    expect(report).toMatchObject({ missed: 0, extra: 0, believable: true });
    // Three standard errors of the median of 20 beats, and half a poll.
    const doubt = 0.3 + 3 * 1.25 * (jitterMs / Math.sqrt(20)) + 0.5;
    expect(Math.abs(report.medianMs - latencyMs - roadMs(cable))).toBeLessThan(doubt);
    return { id: portId, lateMs: report.medianMs, currentOffsetMs: 0 };
  });
  const { offsets } = solveOffsets(readings, 'grid');
  const proof = take(Object.fromEntries(offsets.map(({ id, offsetMs }) => [id, offsetMs])));
  for (const { channel = -1 } of BOATHOUSE.boxes) {
    const { report } = analyzeRecording(proof[channel]!, 48_000, { click: proof[0]! });
    const [low, high] = report.ci95Ms;
    expect(Math.abs(report.medianMs) < 0.5 || (low <= 0 && high >= 0)).toBe(true);
  }
});

test('the keyboard answers an identity request, and repeats its input until thru is turned off', () => {
  const studio = new Studio(BOATHOUSE);
  const port = studio.ports.get('boathouse-vole')!;
  const back: number[][] = [];
  port.listen((bytes) => back.push([...bytes]));
  port.send(Uint8Array.of(0xf8), 10);
  port.send(Uint8Array.of(0xf0, 0x7e, 0x7f, 6, 1, 0xf7), 20);
  studio.advance(100, 15);
  expect(back).toEqual([[0xf8]]); // The rest is still in flight.
  studio.advance(100);
  expect(back).toEqual([[0xf8], [0xf0, 0x7e, 0x7f, 6, 1, 0xf7], expect.arrayContaining([0xf0, 0x7e, 0, 6, 2, 0xf7])]);
  const [keyboard] = studio.gear(Keyboard);
  keyboard!.setThru(false);
  port.send(Uint8Array.of(0xf8), 130);
  keyboard!.press(60, 90, 140);
  studio.advance(200);
  expect(back.slice(3)).toEqual([[0x90, 60, 90]]);
});

test('measuring can go wrong: without the click channel, the interface’s own latency is included', () => {
  const recording = outOfTime;
  const { channel = -1, latencyMs } = BOATHOUSE.boxes[0]!;
  // Play was pressed at 1,500 ms, 500 ms into the recording; the grid starts 70 ms after the 60 ms horizon.
  const wrong = analyzeRecording(recording[channel]!, 48_000, { bpm: 79.3, firstBeatMs: 556 });
  expect(wrong.report.medianMs - latencyMs).toBeGreaterThan(5);
});

test('a silent or empty channel is reported', () => {
  const [reference, gear] = outOfTime as [Float32Array, Float32Array];
  const nothing = new Float32Array(gear.length);
  expect(() => analyzeRecording(nothing, 48_000, { click: reference })).toThrow(/device channel is silent/);
  expect(() => analyzeRecording(gear, 48_000, { click: nothing })).toThrow(/click channel is silent/);
  expect(() => analyzeRecording(new Float32Array(0), 48_000, { click: reference })).toThrow(/empty/);
  const tone = gear.map((_, i) => 0.3 * Math.sin(i / 20));
  expect(() => analyzeRecording(tone.subarray(4800), 48_000, { click: reference })).toThrow(/No transients/);
});
