import { FeedPlanner, Hub, TempoMap, type Feed, type FeedSettings, type FrameRate } from '../core/src/index';
import { ClockFollower } from '../core/src/follow/clock-follower';
import { TimecodeFollower } from '../core/src/follow/timecode-follower';
import { BeatBox } from '../core/src/standin/beat-box';
import { LightingDesk } from '../core/src/standin/lighting-desk';
import { Link, LINKS } from '../core/src/standin/link';
import { Recorder, USUAL_RECORDER } from '../core/src/standin/recorder';
import { seededRandom } from '../core/src/standin/random';
import type { StandIn } from '../core/src/standin/stand-in';
import { Synthesizer } from '../core/src/standin/synthesizer';
import { TimeMaster } from '../core/src/standin/time-master';
import { quarterFrameNumber } from '../core/src/timecode/timecode-messages';
import { medianMs, perSecond, type Figure } from './figures';

const HOUR_MS = 3_600_000;
const WAKE_MS = 10;
const LOOKAHEAD_MS = 60;
const RATES: FrameRate[] = ['24', '25', '29.97df', '30'];

export function hubFigures(): Figure[] {
  return [planning(), following('clock'), following('timecode'), hour('hub'), hour('master'), day()];
}

const settings = (i: number, timecode: FrameRate | null): FeedSettings => ({
  sends: { clock: true, transport: true, position: true, timecode },
  offsetMs: -i,
  clockWhileStopped: false,
});

function planning(): Figure {
  const map = new TempoMap([{ beat: 0, bpm: 300 }]);
  const minutesMs = 10 * 60_000;
  let messages = 0;
  const ms = medianMs(() => {
    const feeds = Array.from({ length: 16 }, (_, i) => new FeedPlanner(map, settings(i, RATES[i % 4] ?? '25')));
    for (const feed of feeds) feed.start(100, 0);
    messages = 0;
    for (let fromMs = 0; fromMs < minutesMs; fromMs += LOOKAHEAD_MS)
      for (const feed of feeds) messages += feed.plan(fromMs, fromMs + LOOKAHEAD_MS).length;
  });
  return {
    what: '16 feeds of clock and timecode at 300 BPM, planned',
    ours: perSecond(messages, ms),
    beside: 'they need 4.8e+3 to 9.6e+3 a second',
  };
}

function following(language: 'clock' | 'timecode'): Figure {
  const { normal } = seededRandom(1);
  const count = 20_000;
  const ms = medianMs(() => {
    const clock = new ClockFollower();
    const timecode = new TimecodeFollower();
    for (let i = 0; i < count; i++)
      if (language === 'clock') clock.push({ kind: 'clock' }, (i * 2500) / 120 + normal());
      else timecode.push(quarterFrameNumber(i, '25'), i * 10 + normal());
  }, 3);
  return { what: `Incoming ${language} followed, 1 ms of noise`, ours: perSecond(count, ms), beside: '—' };
}

/** Gear of four kinds on cables of four kinds, without audio. */
function gear(size: number): {
  feeds: Feed[];
  standIns: StandIn[];
  send: (portId: string, bytes: Uint8Array, atMs: number) => void;
} {
  const deaf = () => undefined;
  const usual = { latencyMs: 10, jitterMs: 0.5 };
  const build = (seed: number): StandIn => {
    if (seed % 8 === 1) return new Synthesizer({ ...usual, channel: 1, arpeggiator: true, seed }, deaf);
    if (seed % 8 === 2) return new Recorder({ ...USUAL_RECORDER, seed }, deaf);
    if (seed % 8 === 3) return new LightingDesk({ everyBeats: 2, latencyMs: 10, frameMs: 20, seed }, deaf);
    return new BeatBox({ ...usual, seed }, deaf);
  };
  const standIns = Array.from({ length: size }, (_, i) => build(i));
  const kinds = [LINKS.din, LINKS.usb, LINKS.loopback, LINKS.network];
  const cables = standIns.map(
    (one, i) => new Link({ ...(kinds[i % 4] ?? LINKS.din), seed: i }, (bytes, atMs) => one.receive(bytes, atMs)),
  );
  const feeds = standIns.map((_, i) => ({
    id: `f${i}`,
    portId: String(i),
    settings: settings(i, i % 8 === 2 ? '25' : null),
  }));
  return { feeds, standIns, send: (portId, bytes, atMs) => cables[Number(portId)]?.send(bytes, atMs) };
}

/** A room in virtual time; `look` is called every hour. */
function room(
  { leader, hours = 1, size = 16 }: { leader: 'hub' | 'master'; hours?: number; size?: number },
  look: () => void = () => undefined,
): number {
  const hub = new Hub({ bpm: 120 });
  const { feeds, standIns, send } = gear(size);
  hub.setFeeds(feeds);
  const sends = { clock: true, transport: true, position: true, timecode: null };
  const master = new TimeMaster(
    { tempo: [{ beat: 0, bpm: 120 }], sends, crystalPpm: 50, driftPpmPerHour: 5, jitterMs: 0.5, seed: 9 },
    (bytes, atMs) => hub.receive('master', bytes, atMs),
  );
  if (leader === 'master') {
    hub.setSources([{ id: 'master', portId: 'master', language: 'clock' }]);
    hub.setLeaders(['master']);
  }
  hub.advance(0, LOOKAHEAD_MS);
  master.advance(0);
  if (leader === 'master') master.play();
  else hub.command({ kind: 'play' });
  let messages = 0;
  for (let ms = WAKE_MS; ms <= hours * HOUR_MS; ms += WAKE_MS) {
    if (leader === 'master') master.advance(ms);
    for (const { portId, bytes, atMs } of hub.advance(ms, LOOKAHEAD_MS)) {
      send(portId, bytes, atMs);
      messages++;
    }
    for (const standIn of standIns) standIn.advance(ms);
    if (ms % HOUR_MS === 0) look();
  }
  return messages;
}

function hour(leader: 'hub' | 'master'): Figure {
  let messages = 0;
  const ms = medianMs(() => (messages = room({ leader })), 1);
  const who = leader === 'hub' ? 'which leads' : 'which follows a clock';
  return {
    what: `An hour of hub, ${who}, with 16 feeds and 16 stand-ins`,
    ours: `${(ms / 1000).toFixed(1)} s, ${perSecond(messages, ms)}`,
    beside: '—',
  };
}

/** Heap after a collection if Node was started with --expose-gc, else as it is. */
function day(): Figure {
  const collect = (globalThis as { gc?: () => void }).gc ?? (() => undefined);
  const heaps: number[] = [];
  room({ leader: 'hub', hours: 24, size: 4 }, () => {
    collect();
    heaps.push(process.memoryUsage().heapUsed / 2 ** 20);
  });
  const [first = 0, last = 0] = [heaps[0], heaps.at(-1)];
  return {
    what: 'Heap over 24 hours of hub with 4 feeds and 4 stand-ins',
    ours: `${first.toFixed(1)} MB after the first hour, ${last.toFixed(1)} MB after the last, ${Math.max(...heaps).toFixed(1)} MB at most`,
    beside: '—',
  };
}
