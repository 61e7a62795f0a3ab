import { Hub } from '../hub/hub';
import { MidiParser } from '../midi/parser';
import { Keyboard } from './keyboard';
import { LINKS } from './link';
import { Studio, type StudioSettings } from './studio';

const ROOM: StudioSettings = {
  soundInterface: { sampleRate: 8000, channels: 1, inputDelayMs: 5, noise: 0, seed: 1 },
  click: { portId: 'click', channel: 0 },
  boxes: [],
  gear: [
    {
      kind: 'keyboard',
      portId: 'keys',
      thru: false,
      tempo: [{ beat: 0, bpm: 98.2 }],
      crystalPpm: 0,
      jitterMs: 0.3,
      seed: 5,
      cable: LINKS.din,
    },
  ],
};

/** The hub led by a stand-in keyboard, driven in time as the browser's worker does. */
function room() {
  const studio = new Studio(ROOM);
  const hub = new Hub({ bpm: 120 });
  const settings = {
    sends: { clock: true, transport: true, position: true, timecode: null },
    offsetMs: 0,
    clockWhileStopped: false,
  };
  hub.setFeeds([{ id: 'box', portId: 'box', settings }]);
  hub.setSources([{ id: 'keys', portId: 'keys', language: 'clock' }]);
  hub.setLeaders(['keys', 'hub']);
  const [keyboard] = studio.gear(Keyboard);
  const sent: { kind: string; atMs: number }[] = [];
  let arrivedEarly = 0;
  let nowMs = 0;
  studio.ports.get('keys')!.listen((bytes, atMs) => {
    if (atMs > nowMs) arrivedEarly++;
    hub.receive('keys', bytes, atMs);
  });
  const run = (ms: number) => {
    for (const until = nowMs + ms; nowMs < until; nowMs += 10) {
      for (const { bytes, atMs } of hub.advance(nowMs, 60))
        for (const { message } of new MidiParser().push(bytes, atMs)) sent.push({ kind: message.kind, atMs });
      studio.advance(nowMs + 60, nowMs);
    }
  };
  return { hub, keyboard: keyboard!, sent, run, early: () => arrivedEarly };
}

test('started by hand: the hub follows its tempo, and nothing arrives before it was sent', () => {
  const { hub, keyboard, run, sent, early } = room();
  run(500);
  expect(hub.snapshot()).toMatchObject({ leader: 'keys', state: 'stopped' });
  keyboard.play();
  run(6000);
  const { state, bpm, sources } = hub.snapshot();
  expect(state).toBe('rolling');
  expect(bpm).toBeCloseTo(98.2, 0);
  expect(sources[0]).toMatchObject({ state: 'locked', rolling: true, receiving: 'clock', missing: 0, extra: 0 });
  expect(sent.filter(({ kind }) => kind === 'clock').length).toBeGreaterThan(180);
  expect(early()).toBe(0);
});

test('the hub follows its tempo changes and its stop', () => {
  const { hub, keyboard, run } = room();
  keyboard.play();
  run(5000);
  keyboard.turnTempo(120);
  run(6000);
  expect(hub.snapshot().bpm).toBeCloseTo(120, 0);
  keyboard.stop();
  run(1500);
  expect(hub.snapshot().state).toBe('stopped');
});

test('unplugged: the hub takes over, and switches back when it restarts', () => {
  const { hub, keyboard, run, sent } = room();
  keyboard.play();
  run(5000);
  keyboard.plug(false);
  run(4000);
  expect(hub.snapshot()).toMatchObject({ leader: 'hub', state: 'rolling' });
  const ticks = sent.filter(({ kind }) => kind === 'clock').map(({ atMs }) => atMs);
  const gaps = ticks.slice(1).map((ms, i) => ms - ticks[i]!);
  expect(Math.max(...gaps)).toBeLessThan(28); // A tick at 98.2 BPM is 25.5 ms, so nothing is missing.
  keyboard.plug(true);
  keyboard.stop();
  run(500);
  keyboard.play();
  run(3000);
  hub.setLeaders(['keys', 'hub']);
  run(2000);
  expect(hub.snapshot()).toMatchObject({ leader: 'keys', state: 'rolling' });
});

test('its output occupies the line: ticks behind a row of notes are delayed (320 us per byte)', () => {
  const { hub, keyboard, run } = room();
  keyboard.play();
  run(3000);
  const quiet = hub.snapshot().sources[0]!;
  for (let note = 40; note < 60; note++) keyboard.press(note, 100, 3000);
  run(2000);
  expect(quiet.state).toBe('locked');
  expect(hub.snapshot().sources[0]).toMatchObject({ state: 'locked', missing: 0 });
});
