import type { FeedSettings } from '../feed/feed-settings';
import { Hub } from '../hub/hub';
import { detectOnsets } from '../measure/detect-onsets';
import { LINKS } from './link';
import { USUAL_RECORDER } from './recorder';
import { Studio, type OtherGear } from './studio';
import { TimeMaster } from './time-master';

const SENDS = { clock: true, transport: true, position: true, timecode: null };
const feed = (id: string, sends: Partial<FeedSettings['sends']> = {}, change: Partial<FeedSettings> = {}) => ({
  id,
  portId: id,
  settings: { sends: { ...SENDS, ...sends }, offsetMs: 0, clockWhileStopped: false, ...change },
});
const master: OtherGear = {
  kind: 'timeMaster',
  portId: 'master',
  cable: LINKS.usb,
  channel: 1,
  voice: 'click',
  tempo: [{ beat: 0, bpm: 120 }],
  sends: SENDS,
  crystalPpm: 30,
  jitterMs: 0.2,
  soundDelayMs: 23,
  seed: 5,
};

test('a room with every kind of gear on every kind of cable, led by one of them through the hub', () => {
  const studio = new Studio({
    soundInterface: { sampleRate: 48_000, channels: 6, inputDelayMs: 5, noise: 0.0003, seed: 1 },
    click: { portId: 'click', channel: 0 },
    boxes: [{ portId: 'box', cable: LINKS.din, channel: 2, voice: 'wood', latencyMs: 12, jitterMs: 0.2, seed: 2 }],
    gear: [
      master,
      { kind: 'recorder', portId: 'tape', channel: 3, voice: 'click', ...USUAL_RECORDER, seed: 3 },
      {
        kind: 'lightingDesk',
        portId: 'lights',
        channel: 4,
        voice: 'skin',
        everyBeats: 2,
        latencyMs: 8,
        frameMs: 0,
        seed: 4,
      },
      {
        kind: 'synthesizer',
        portId: 'synth',
        cable: LINKS.din,
        channel: 5,
        voice: 'wood',
        midiChannel: 1,
        latencyMs: 6,
        jitterMs: 0,
        arpeggiator: false,
        seed: 6,
      },
    ],
  });
  const hub = new Hub({ bpm: 100 });
  const notes = { channel: 1, barNote: 60, beatNote: 62, velocity: 90 };
  const silent = { clock: false, transport: false, position: false };
  hub.setFeeds([
    feed('box'),
    feed('lights'),
    feed('tape', { ...silent, timecode: '25' }),
    feed('synth', silent, { notes }),
  ]);
  hub.setSources([{ id: 'master', portId: 'master', language: 'clock' }]);
  hub.setLeaders(['master']);
  studio.ports.get('master')?.listen((bytes, atMs) => hub.receive('master', bytes, atMs));
  const blocks: Float32Array[][] = [];
  for (let nowMs = 0; nowMs < 9000; nowMs += 10) {
    studio.advance(nowMs);
    if (nowMs === 1000) studio.gear(TimeMaster)[0]!.play();
    for (const { portId, bytes, atMs } of hub.advance(nowMs, 60)) studio.ports.get(portId)?.send(bytes, atMs);
    const block = studio.capture(nowMs);
    if (block) blocks.push(block.channels);
  }
  const onsets = (channel: number) => {
    const samples = new Float32Array(blocks.reduce((sum, [first]) => sum + first!.length, 0));
    let at = 0;
    for (const channels of blocks) {
      samples.set(channels[channel]!, at);
      at += channels[channel]!.length;
    }
    return detectOnsets(samples, 48_000).map(({ timeMs }) => timeMs);
  };
  const own = onsets(1);
  expect(own.length).toBeGreaterThan(12);
  const against = (channel: number) => {
    const heard = onsets(channel).filter((ms) => ms > 4000);
    return heard.map((ms) => Math.min(...own.map((beat) => (ms > beat - 100 ? ms - beat : Infinity))));
  };
  expect(hub.snapshot()).toMatchObject({ leader: 'master', state: 'rolling' });
  // The leader's plugins delay it by 23 ms, so the device, at 12 ms and a byte on the wire, sounds before it.
  for (const ms of against(2)) expect(Math.abs(ms - (12 + 0.3 - 23))).toBeLessThan(2.5);
  for (const ms of against(5)) expect(Math.abs(ms - (6 + 0.96 - 23))).toBeLessThan(2.5);
  expect(against(4).length).toBeGreaterThanOrEqual(4);
  expect(against(4).length).toBeLessThanOrEqual(6);
  expect(onsets(3).length).toBeGreaterThan(9);
});
