import { encodeMidi } from '../midi/encode-midi';
import type { MidiMessage } from '../midi/message';
import { MidiParser } from '../midi/parser';
import { FeedPlanner } from '../feed/feed-planner';
import { TempoMap } from '../tempo/tempo-map';
import { BeatBox } from './beat-box';
import { LightingDesk } from './lighting-desk';
import { DIN_BYTE_MS, Link, LINKS, thruChain } from './link';
import { Recorder, USUAL_RECORDER } from './recorder';
import type { StandIn } from './stand-in';
import { Synthesizer } from './synthesizer';
import { TimeMaster } from './time-master';

const bytes = (...messages: MidiMessage[]) => Uint8Array.from(messages.flatMap((message) => [...encodeMidi(message)]));
const sendTo = (gear: StandIn, atMs: number, ...messages: MidiMessage[]) => gear.receive(bytes(...messages), atMs);
const ticks = (gear: StandIn, fromMs: number, count: number) => {
  for (let i = 0; i < count; i++) sendTo(gear, fromMs + i * 20, { kind: 'clock' });
};

describe('a drum machine', () => {
  const hitsOf = (settings: Partial<ConstructorParameters<typeof BeatBox>[0]>, play: (box: BeatBox) => void) => {
    const hits: number[] = [];
    play(new BeatBox({ latencyMs: 5, jitterMs: 0, seed: 1, ...settings }, (ms) => hits.push(ms)));
    return hits;
  };
  const fromTheMiddle = (box: BeatBox) => {
    sendTo(box, 0, { kind: 'songPosition', sixteenths: 3 }, { kind: 'continue' });
    ticks(box, 10, 24);
  };

  test('with song position joins mid-song; one that starts from the top only doesn’t', () => {
    expect(hitsOf({}, fromTheMiddle)).toEqual([10 + 6 * 20 + 5]);
    expect(hitsOf({ fromTopOnly: true }, fromTheMiddle)).toEqual([]);
    const begin = (box: BeatBox) => (sendTo(box, 0, { kind: 'start' }), ticks(box, 10, 25));
    expect(hitsOf({ fromTopOnly: true }, begin)).toEqual([15, 495]);
  });

  test('on internal clock ignores everything until it is set to external', () => {
    const hits = hitsOf({ clockSource: 'internal' }, (box) => {
      sendTo(box, 0, { kind: 'start' });
      ticks(box, 10, 25);
      box.listenTo('external');
      sendTo(box, 1000, { kind: 'start' });
      ticks(box, 1010, 1);
      expect(box.display).toEqual({ playing: true, tick: 1 });
    });
    expect(hits).toEqual([1015]);
  });
});

test('a synthesizer plays its own channel; its arpeggiator plays the held notes on every sixteenth', () => {
  const played: [number, number][] = [];
  const settings = { channel: 2, latencyMs: 8, jitterMs: 0, arpeggiator: false, seed: 1 };
  const plain = new Synthesizer(settings, (ms, note) => played.push([ms, note]));
  sendTo(
    plain,
    0,
    { kind: 'noteOn', channel: 2, note: 60, velocity: 9 },
    { kind: 'noteOn', channel: 3, note: 61, velocity: 9 },
  );
  expect(played).toEqual([[8, 60]]);
  const walked: number[] = [];
  const arpeggiator = new Synthesizer({ ...settings, arpeggiator: true }, (_, note) => walked.push(note));
  for (const note of [67, 60, 64]) sendTo(arpeggiator, 0, { kind: 'noteOn', channel: 2, note, velocity: 9 });
  sendTo(arpeggiator, 1, { kind: 'start' });
  ticks(arpeggiator, 10, 24);
  sendTo(arpeggiator, 500, { kind: 'noteOff', channel: 2, note: 64, velocity: 0 });
  ticks(arpeggiator, 510, 12);
  expect(walked).toEqual([60, 64, 67, 60, 60, 67]);
});

test('a recorder that chases takes 0.3 to 1 s to lock and lands 30 to 50 ms behind, differently each time', () => {
  const landings: number[] = [];
  const clicks: number[] = [];
  const recorder = new Recorder({ ...USUAL_RECORDER, seed: 3 }, (ms) => clicks.push(ms));
  const sends = { clock: false, transport: false, position: false, timecode: '25' as const };
  for (let start = 0; start < 12; start++) {
    const fromMs = start * 10_000;
    const planner = new FeedPlanner(new TempoMap([{ beat: 0, bpm: 120 }]), {
      sends,
      offsetMs: 0,
      clockWhileStopped: false,
    });
    planner.start(fromMs, 0);
    planner.stop(fromMs + 4000);
    let lockedMs = 0;
    for (let nowMs = fromMs; nowMs < fromMs + 6000; nowMs += 5) {
      for (const { atMs, message } of planner.plan(nowMs, nowMs + 5)) recorder.receive(encodeMidi(message), atMs);
      recorder.advance(nowMs + 5);
      const position = recorder.positionAt(nowMs + 5);
      if (position === null) continue;
      if (lockedMs === 0) {
        lockedMs = nowMs + 5 - fromMs;
        landings.push(lockedMs - position * 1000);
      }
    }
    expect(lockedMs).toBeGreaterThan(300);
    expect(lockedMs).toBeLessThan(1100);
    expect(recorder.positionAt(fromMs + 5999)).toBeNull();
  }
  expect(Math.min(...landings)).toBeGreaterThan(29);
  expect(Math.max(...landings)).toBeLessThan(51);
  expect(new Set(landings.map((ms) => ms.toFixed(1))).size).toBeGreaterThan(8);
  expect(clicks.length).toBeGreaterThan(12 * 5);
  expect(clicks.every((ms) => ms % 500 > 29 && ms % 500 < 51)).toBe(true);
});

test('a lighting desk fires a cue every two beats, or on notes, in order', () => {
  const cues: number[] = [];
  const desk = new LightingDesk({ everyBeats: 2, latencyMs: 5, frameMs: 20, seed: 1 }, (_, cue) => cues.push(cue));
  sendTo(desk, 0, { kind: 'start' });
  ticks(desk, 10, 24 * 5);
  expect(cues).toEqual([0, 1, 2]);
  sendTo(desk, 5000, { kind: 'noteOn', channel: 1, note: 1, velocity: 1 });
  expect(cues).toEqual([0, 1, 2, 3]);
});

describe('a device that leads', () => {
  const heardOf = (crystalPpm: number, driftPpmPerHour = 0) => {
    const parser = new MidiParser();
    const clocks: number[] = [];
    const sounds: number[] = [];
    const master = new TimeMaster(
      {
        tempo: [{ beat: 0, bpm: 120 }],
        sends: { clock: true, transport: true, position: true, timecode: null },
        clockWhileStopped: false,
        crystalPpm,
        driftPpmPerHour,
        jitterMs: 0,
        soundDelayMs: 23,
        seed: 1,
      },
      (data, atMs) => parser.push(data, atMs).forEach(({ message }) => message.kind === 'clock' && clocks.push(atMs)),
      (ms) => sounds.push(ms),
    );
    master.advance(0);
    master.play();
    for (let nowMs = 100; nowMs <= 3_600_000; nowMs += 100) master.advance(nowMs);
    return { clocks, sounds };
  };

  test('runs by its own crystal: 100 ppm fast is 360 ms per hour', () => {
    const { clocks } = heardOf(100);
    const tick = clocks.length - 1;
    expect((tick * 2500) / 120 - (clocks.at(-1)! - clocks[0]!)).toBeCloseTo(360, 0);
  });

  test('drifts as it warms up: from 0 to 20 ppm is 36 ms per hour', () => {
    const { clocks } = heardOf(0, 20);
    const tick = clocks.length - 1;
    expect((tick * 2500) / 120 - (clocks.at(-1)! - clocks[0]!)).toBeCloseTo(36, 0);
  });

  test('sounds after its own beats by its plugin delay', () => {
    const { clocks, sounds } = heardOf(0);
    sounds.slice(0, 100).forEach((ms, beat) => expect(ms - clocks[beat * 24]!).toBeCloseTo(23, 6));
  });
});

describe('links', () => {
  const through = (settings: ConstructorParameters<typeof Link>[0], sizes: number[], everyMs = 0) => {
    const arrivals: number[] = [];
    const link = new Link(settings, (_, ms) => arrivals.push(ms));
    sizes.forEach((size, i) => link.send(new Uint8Array(size), i * everyMs));
    return arrivals;
  };

  test('DIN takes 320 us per byte: a note 0.96 ms, ten of them 9.6 ms, and a tick behind them waits (plain arithmetic)', () => {
    expect(through(LINKS.din, [3])[0]).toBeCloseTo(0.96, 9);
    const chord = through(LINKS.din, [...Array.from({ length: 10 }, () => 3), 1]);
    expect(chord[9]).toBeCloseTo(9.6, 9);
    expect(chord[10]).toBeCloseTo(9.6 + DIN_BYTE_MS, 9);
  });

  test('what is sent while later bytes are planned already goes between them, and nothing is sent twice at a time', () => {
    const arrivals: [number, number][] = [];
    const link = new Link(LINKS.din, ([byte = 0], ms) => arrivals.push([byte, ms]));
    const send = (byte: number, atMs: number) => link.send(Uint8Array.of(byte, 0, 0), atMs);
    send(1, 0);
    send(2, 100);
    send(3, 101.5);
    // In a free moment; where two bytes of three still fit; where they don't.
    send(4, 40);
    send(5, 98);
    send(6, 99.9);
    const expected = { 1: 0.96, 2: 100.96, 3: 102.46, 4: 40.96, 5: 98.96, 6: 103.42 };
    for (const [byte, ms] of arrivals) expect(ms).toBeCloseTo(expected[byte as keyof typeof expected], 9);
    expect(arrivals).toHaveLength(6);
  });

  test('USB delivers on whole milliseconds', () => {
    for (const ms of through(
      LINKS.usb,
      Array.from({ length: 50 }, () => 1),
      3.3,
    ))
      expect(ms % 1).toBeCloseTo(0, 9);
  });

  test('a network loses some packets and reorders none', () => {
    const arrivals = through(
      { ...LINKS.network, loss: 0.05 },
      Array.from({ length: 2000 }, () => 1),
      2,
    );
    expect(arrivals.length).toBeGreaterThan(1850);
    expect(arrivals.length).toBeLessThan(1950);
    expect(arrivals).toEqual([...arrivals].sort((a, b) => a - b));
  });

  test('loopback and split box add next to nothing, each thru socket a little', () => {
    expect(through(LINKS.loopback, [1])[0]).toBeLessThan(0.2);
    expect(through(LINKS.splitBox, [1])[0]).toBeLessThan(0.01);
    const arrivals: number[] = [];
    thruChain(4, (_, ms) => arrivals.push(ms)).send(new Uint8Array(1), 0);
    expect(arrivals[0]).toBeCloseTo(DIN_BYTE_MS + 0.008, 9);
  });

  test('the same seed gives the same link', () => {
    const run = (seed: number) =>
      through(
        { ...LINKS.network, seed },
        Array.from({ length: 100 }, () => 1),
        5,
      );
    expect(run(4)).toEqual(run(4));
    expect(run(4)).not.toEqual(run(5));
  });
});
