import { encodeMidi } from '../midi/encode-midi';
import { encodeMmc } from '../midi/mmc';
import type { TimeMasterSettings } from '../standin/time-master';
import { ALL_CLOCK, feed, master, Room, source } from '../testing/room';
import { TempoMap } from '../tempo/tempo-map';
import { readFullFrame, readQuarterFrames } from '../timecode/timecode-messages';
import type { SourceSettings } from './source';

const ONE_HOUR = { hours: 1, minutes: 0, seconds: 0, frames: 0 };
const rms = (values: number[]) => Math.sqrt(values.reduce((sum, value) => sum + value * value, 0) / values.length);
const gaps = (times: number[]) => times.slice(1).map((ms, i) => ms - times[i]!);

/** Play is pressed after a second; the machine rolls 20 ms after its last known moment. */
const PRESSED_MS = 1010;

/** A hub that has been following a machine's clock for a while. */
function following(change: Partial<TimeMasterSettings> = {}, by: Partial<SourceSettings> = {}) {
  const room = new Room();
  room.hub.setFeeds([feed('a'), feed('b', { offsetMs: -30 })]);
  room.hub.setSources([source('desk', by)]);
  room.hub.setLeaders(['desk', 'hub']);
  const desk = room.machine('desk', master(change));
  room.run(1000);
  desk.play();
  return { room, desk };
}

test('clock leads: every follower is in sync, with less jitter than the leader, and at the same position', () => {
  const { room } = following({ jitterMs: 1 });
  room.run(30_000);
  // The machine starts at 1,020 ms by its own crystal; half of its jitter is delay, 0.8 ms on average.
  const late = room
    .ticks('a')
    .filter((ms) => ms > 12_000)
    .map((ms) => {
      const ticks = ((ms - PRESSED_MS) * (1 + 40e-6) * 24 * 120) / 60_000;
      return ((ticks - Math.round(ticks)) * 60_000) / (24 * 120);
    });
  const middle = late.reduce((sum, ms) => sum + ms, 0) / late.length;
  expect(middle).toBeGreaterThan(0.5);
  expect(middle).toBeLessThan(1.2);
  expect(rms(late.map((ms) => ms - middle))).toBeLessThan(0.15);
  const [a, b] = ['a', 'b'].map((id) => room.ticks(id).at(-1)!);
  const apart = (b! - a! + 30) / (2500 / 120);
  expect(Math.abs(apart - Math.round(apart))).toBeLessThan(0.02);
  const { beat, leader, state } = room.hub.snapshot();
  expect({ leader, state }).toEqual({ leader: 'desk', state: 'rolling' });
  expect(Math.abs(beat - ((room.nowMs - 10 - PRESSED_MS) * 120) / 60_000)).toBeLessThan(0.005);
});

test('it joins on a sixteenth, sends that song position, and counts from there', () => {
  const { room } = following();
  const heard = room.heard('a', room.run(3000));
  const [position, go, first] = heard;
  expect(position!.kind).toBe('songPosition');
  expect(go!.kind).toBe('continue');
  const sixteenths = position!.kind === 'songPosition' ? position!.sixteenths : 0;
  expect(sixteenths).toBeGreaterThan(0);
  expect(first!.atMs).toBeCloseTo(PRESSED_MS + sixteenths * 125, -1);
});

test('a tempo change of the leader is followed; no tick is lost or doubled', () => {
  const { room, desk } = following({ jitterMs: 0.3 }, { response: 'quick' });
  room.run(8000);
  desk.turnTempo(150);
  room.run(8000);
  const ticks = room.ticks('a');
  expect(Math.max(...gaps(ticks))).toBeLessThan((2500 / 120) * 1.15);
  expect(Math.min(...gaps(ticks))).toBeGreaterThan((2500 / 150) * 0.85);
  const { beat, bpm } = room.hub.snapshot();
  expect(bpm).toBeCloseTo(150, 0);
  // Eight seconds at 120, the rest at 150.
  expect(Math.abs(beat - (8 * 2 + (room.nowMs - 10 - 9010) / 400))).toBeLessThan(0.02);
});

test('the leader stops, locates and continues, and the hub with it', () => {
  const { room, desk } = following();
  room.run(6000);
  desk.stop();
  room.run(1000);
  expect(room.hub.snapshot()).toMatchObject({ state: 'stopped', leader: 'desk' });
  expect(room.hub.snapshot().beat).toBeCloseTo(12, 1);
  desk.locate(32);
  room.run(500);
  expect(room.hub.snapshot().beat).toBe(32);
  desk.play(32);
  const heard = room.heard('a', room.run(4000));
  expect(heard.find(({ kind }) => kind === 'continue')).toBeDefined();
  expect(room.hub.snapshot().beat).toBeCloseTo(32 + 4 * 2, 0);
});

test('while stopped, a continuous clock runs at the leader’s tempo', () => {
  const room = new Room();
  room.hub.setFeeds([feed('a', { clockWhileStopped: true })]);
  room.hub.setSources([source('desk')]);
  room.hub.setLeaders(['desk']);
  room.machine('desk', master({ tempo: [{ beat: 0, bpm: 93 }] }));
  room.run(4000);
  expect(gaps(room.ticks('a', room.run(2000))).at(-1)).toBeCloseTo(2500 / 93, 1);
});

test('timecode leads, and a clock follower goes through the song’s tempo map', () => {
  const tempo = [
    { beat: 0, bpm: 65, curve: 'linear' as const },
    { beat: 32, bpm: 140 },
  ];
  const room = new Room();
  room.hub.setSong({ tempo });
  room.hub.setFeeds([feed('a')]);
  const by = { language: 'timecode' as const, timecodeStart: ONE_HOUR };
  room.hub.setSources([source('desk', by)]);
  room.hub.setLeaders(['desk']);
  const sends = { ...ALL_CLOCK, clock: false, transport: false, position: false, timecode: '25' as const };
  const desk = room.machine(
    'desk',
    master({ sends, timecodeStart: ONE_HOUR, clockWhileStopped: false, jitterMs: 0.3 }),
  );
  room.run(100);
  desk.play();
  const out = room.run(24_000);
  const map = new TempoMap(tempo);
  const startMs = 110;
  const position = room.heard('a', out)[0]!;
  const first = (position.kind === 'songPosition' ? position.sixteenths : 0) * 6;
  const late = room.ticks('a', out).map((ms, i) => ms - startMs - map.msAt((first + i) / 24));
  expect(Math.max(...late.slice(100).map(Math.abs))).toBeLessThan(1);
  expect(room.hub.snapshot()).toMatchObject({ state: 'rolling', leader: 'desk' });
  expect(room.hub.snapshot().bpm).toBeCloseTo(140, 1);
});

test('clock leads, and a timecode follower gets code in real time', () => {
  const { room } = following();
  room.hub.setFeeds([feed('tape', { sends: { ...ALL_CLOCK, timecode: '25' }, timecodeStart: ONE_HOUR })]);
  const out = room.run(6000);
  const quarters = room.heard('tape', out).filter(({ kind }) => kind === 'quarterFrame');
  expect(gaps(quarters.map(({ atMs }) => atMs)).every((gap) => Math.abs(gap - 10) < 1)).toBe(true);
  const nibbles = quarters.slice(-16).map((one) => (one.kind === 'quarterFrame' ? one : { piece: 0, nibble: 0 }));
  const zero = nibbles.findIndex(({ piece }) => piece === 0);
  const { timecode } = readQuarterFrames(nibbles.slice(zero, zero + 8).map(({ nibble }) => nibble))!;
  expect(timecode).toMatchObject({ hours: 1, minutes: 0 });
  const shown = timecode.seconds + timecode.frames / 25;
  expect(Math.abs(shown - (quarters.at(-16 + zero)!.atMs - PRESSED_MS) / 1000)).toBeLessThan(0.1);
});

describe('an offset on incoming sync', () => {
  const TICK_MS = 2500 / 120;
  const CODE = { ...ALL_CLOCK, clock: false, transport: false, position: false, timecode: '25' as const };
  const BY = {
    clock: [{}, {}],
    timecode: [
      { sends: CODE, timecodeStart: ONE_HOUR, clockWhileStopped: false },
      { language: 'timecode', timecodeStart: ONE_HOUR },
    ],
  } as const;
  /** Mean lateness of the second half of the ticks against the leader's own crystal, modulo one tick. */
  const phase = (ticks: number[]) => {
    const late = ticks.slice(ticks.length / 2).map((ms) => {
      const count = ((ms - PRESSED_MS) * (1 + 40e-6)) / TICK_MS;
      return (count - Math.round(count)) * TICK_MS;
    });
    return late.reduce((sum, ms) => sum + ms, 0) / late.length;
  };
  const TURNED_MS = 12_000;

  test.each([
    ['clock', 6.4],
    ['clock', -7.3],
    ['timecode', 6.4],
    ['timecode', -7.3],
  ] as const)(
    'of %s, %d ms: everyone plays by that much later, and it changes without a stop',
    (language, offsetMs) => {
      const [sends, by] = BY[language];
      const { room } = following(sends, by);
      room.hub.setSong({ tempo: [{ beat: 0, bpm: 120 }] });
      room.run(TURNED_MS);
      const before = phase(room.ticks('a'));
      room.hub.setSources([{ ...source('desk', by), offsetMs }]);
      const out = room.run(TURNED_MS);
      expect(phase(room.ticks('a', out)) - before).toBeCloseTo(offsetMs, 0);
      expect(room.heard('a', out).filter(({ kind }) => kind === 'stop' || kind === 'start')).toEqual([]);
      expect(Math.max(...gaps(room.ticks('a', out)))).toBeLessThan(1.15 * TICK_MS);
    },
  );

  test('one that is set from the beginning counts from the first beat', () => {
    const { room } = following({}, { offsetMs: 300 });
    const out = room.run(6000);
    const [position, , first] = room.heard('a', out);
    const sixteenths = position?.kind === 'songPosition' ? position.sixteenths : 0;
    expect(first!.atMs - PRESSED_MS - sixteenths * 125).toBeGreaterThan(298);
    expect(first!.atMs - PRESSED_MS - sixteenths * 125).toBeLessThan(304);
  });
});

describe('the leader is unplugged', () => {
  test('the hub freewheels, then leads at the same tempo without a gap', () => {
    const { room } = following();
    room.run(8000);
    room.unplugged.add('desk');
    const out = room.run(5000);
    expect(room.hub.snapshot()).toMatchObject({ leader: 'hub', state: 'rolling' });
    expect(room.hub.snapshot().bpm).toBeCloseTo(120, 0);
    expect(Math.max(...gaps(room.ticks('a', out)))).toBeLessThan(22);
    room.run(9000);
    room.unplugged.delete('desk');
    room.run(3000);
    // Away for too long to be followed again by itself.
    expect(room.hub.snapshot().leader).toBe('hub');
    room.hub.setLeaders(['desk', 'hub']);
    room.run(3000);
    expect(room.hub.snapshot()).toMatchObject({ leader: 'desk', state: 'rolling' });
    expect(Math.max(...gaps(room.ticks('a')))).toBeLessThan(24);
  });

  test('a leader that returns before long is followed again by itself, smoothly', () => {
    const { room } = following();
    room.run(8000);
    room.unplugged.add('desk');
    room.run(5000);
    expect(room.hub.snapshot().leader).toBe('hub');
    room.unplugged.delete('desk');
    const out = room.run(4000);
    expect(room.hub.snapshot()).toMatchObject({ leader: 'desk', state: 'rolling' });
    expect(room.heard('a', out).every(({ kind }) => kind === 'clock')).toBe(true);
    expect(Math.max(...gaps(room.ticks('a', out)))).toBeLessThan(22);
  });

  test('one that sends a start and two ticks and is unplugged leaves the song where its ticks ended', () => {
    const room = new Room();
    room.hub.setFeeds([feed('a')]);
    room.hub.setSources([source('desk')]);
    room.hub.setLeaders(['desk', 'hub']);
    room.run(1000);
    for (const bytes of [[0xfa], [0xf8]]) room.hub.receive('from-desk', Uint8Array.from(bytes), room.nowMs);
    room.run(40);
    room.hub.receive('from-desk', Uint8Array.of(0xf8), room.nowMs);
    const heard = room.heard('a', room.run(6000));
    expect(heard).toMatchObject([{ kind: 'songPosition', sixteenths: 1 }]);
    expect(room.hub.snapshot().beat).toBeCloseTo(1 / 24, 3);
  });

  test('a leader isn’t lost while this machine stands still, if all it sent arrives then', () => {
    const { room } = following();
    room.run(8000);
    for (let i = 0; i < 20; i++) room.standStill(2200);
    expect(room.hub.snapshot()).toMatchObject({ leader: 'desk', state: 'rolling' });
  });

  test('the song keeps its own tempo: a fallback goes on at the leader’s, the next start is at the song’s', () => {
    const { room } = following();
    room.run(8000);
    room.unplugged.add('desk');
    room.run(5000);
    expect(room.hub.snapshot().bpm).toBeCloseTo(120, 0);
    room.hub.setLeaders(['hub']);
    room.hub.command({ kind: 'stop' });
    room.run(500);
    room.hub.command({ kind: 'play' });
    room.run(500);
    expect(room.hub.snapshot().bpm).toBe(110);
  });

  test('the next in the fallback order takes over in sync; if there is none, everyone stops', () => {
    const { room } = following();
    room.hub.setSources([source('desk'), source('spare')]);
    room.hub.setLeaders(['desk', 'spare']);
    const spare = room.machine('spare', master({ crystalPpm: -60, seed: 8 }));
    room.run(500);
    spare.play();
    room.run(8000);
    room.unplugged.add('desk');
    const before = room.hub.snapshot().beat;
    room.run(6000);
    expect(room.hub.snapshot()).toMatchObject({ leader: 'spare', state: 'rolling' });
    expect(room.hub.snapshot().beat).toBeCloseTo(before + 12, 0);
    expect(Math.max(...gaps(room.ticks('a')))).toBeLessThan(24);
    room.unplugged.add('spare');
    room.run(4000);
    expect(room.hub.snapshot().state).toBe('stopped');
    expect(
      room
        .heard('a')
        .filter(({ kind }) => kind !== 'songPosition')
        .at(-1)!.kind,
    ).toBe('stop');
  });
});

test('the leader can be changed without stopping', () => {
  const room = new Room();
  room.hub.setFeeds([feed('a')]);
  room.hub.setSources([source('desk')]);
  const desk = room.machine('desk', master());
  room.run(500);
  room.hub.command({ kind: 'play' });
  desk.play();
  room.run(4000);
  room.hub.setLeaders(['desk']);
  room.run(8000);
  expect(room.hub.snapshot()).toMatchObject({ leader: 'desk', state: 'rolling' });
  expect(room.hub.snapshot().bpm).toBeCloseTo(120, 0);
  room.hub.setLeaders(['hub']);
  room.run(2000);
  expect(room.hub.snapshot()).toMatchObject({ leader: 'hub', state: 'rolling' });
  const kinds = room.heard('a').map(({ kind }) => kind);
  expect(kinds.filter((kind) => kind === 'stop' || kind === 'start' || kind === 'continue')).toEqual(['start']);
  expect(Math.max(...gaps(room.ticks('a')))).toBeLessThan((2500 / 110) * 1.12);
});

test('remote transport is obeyed where allowed, and ignored elsewhere', () => {
  const room = new Room();
  room.hub.setFeeds([feed('a')]);
  room.hub.setSources([source('obeyed', { obeys: true, timecodeStart: ONE_HOUR }), source('ignored')]);
  const say = (id: string, ...messages: Parameters<typeof encodeMidi>) => {
    room.hub.receive(`from-${id}`, encodeMidi(...messages), room.nowMs);
    room.run(300);
    return room.hub.snapshot();
  };
  room.run(100);
  expect(say('ignored', { kind: 'start' }).state).toBe('stopped');
  expect(say('obeyed', { kind: 'start' }).state).toBe('rolling');
  expect(say('obeyed', encodeMmc({ kind: 'pause' })).state).toBe('stopped');
  const position = { rateCode: 1, hours: 1, minutes: 0, seconds: 4, frames: 0, subframes: 0 };
  expect(say('obeyed', encodeMmc({ kind: 'locate', position })).beat).toBeCloseTo((4 * 110) / 60, 9);
  expect(say('obeyed', encodeMmc({ kind: 'play' })).state).toBe('rolling');
  expect(say('obeyed', { kind: 'stop' }).state).toBe('stopped');
  expect(say('obeyed', { kind: 'songPosition', sixteenths: 64 }).beat).toBe(16);
  expect(say('obeyed', { kind: 'continue' }).state).toBe('rolling');
});

test('a count-in of two bars; stop stays, goes to the start, or goes to where play began', () => {
  const room = new Room();
  room.hub.setFeeds([feed('a')]);
  room.run(100);
  room.hub.command({ kind: 'locate', beat: 8 });
  room.hub.command({ kind: 'play', countIn: true });
  room.run(1000);
  expect(room.hub.snapshot()).toMatchObject({ state: 'countingIn' });
  expect(room.hub.snapshot().beat).toBeLessThan(8);
  room.hub.command({ kind: 'stop' });
  room.run(500);
  expect(room.hub.snapshot()).toMatchObject({ state: 'stopped', beat: 8 });
  for (const [afterStop, beat] of [
    ['toWherePlayBegan', 8],
    ['toStart', 0],
    ['stay', 2],
  ] as const) {
    room.hub.setSong({ afterStop });
    room.hub.command({ kind: 'play' });
    room.run(1200);
    room.hub.command({ kind: 'stop' });
    room.run(500);
    if (afterStop === 'stay') expect(room.hub.snapshot().beat).toBeCloseTo(beat + 0.3, 0);
    else expect(room.hub.snapshot().beat).toBe(beat);
  }
  expect(() => room.hub.setSong({ countInBars: 1.5 })).toThrow('0 to 16 bars');
});

test('a locate while rolling repositions everyone in the language they support', () => {
  const room = new Room();
  room.hub.setFeeds([
    feed('a'),
    feed('tape', { sends: { ...ALL_CLOCK, clock: false, transport: false, position: false, timecode: '25' } }),
  ]);
  room.run(100);
  room.hub.command({ kind: 'play' });
  room.run(3000);
  room.hub.command({ kind: 'locate', beat: 110 / 6 });
  const out = room.run(1000);
  const said = (id: string) => room.heard(id, out).filter(({ kind }) => kind !== 'clock' && kind !== 'quarterFrame');
  expect(said('a').map(({ kind }) => kind)).toEqual(['stop', 'songPosition', 'continue']);
  const codes = said('tape').map((one) => one.kind === 'sysex' && readFullFrame(one.data)?.timecode);
  expect(codes).toMatchObject([{ seconds: 3 }, { seconds: 10, frames: 0 }]);
});

test('nudging the grid moves everyone, nudging one follower moves only that one', () => {
  const room = new Room();
  room.hub.setFeeds([feed('a'), feed('b')]);
  room.run(100);
  room.hub.command({ kind: 'play' });
  room.run(2000);
  room.hub.command({ kind: 'nudge', share: 0.04 });
  room.run(1000);
  expect(room.hub.snapshot().bpm).toBeCloseTo(110 * 1.04, 6);
  room.hub.command({ kind: 'nudge', share: 0 });
  room.hub.command({ kind: 'nudge', share: -0.02, feedId: 'b' });
  room.run(1000);
  room.hub.command({ kind: 'nudge', share: 0, feedId: 'b' });
  room.run(500);
  expect(room.hub.snapshot().bpm).toBeCloseTo(110, 6);
  expect(room.hub.offsetOf('b')).toBeCloseTo(20, 0);
  expect(room.hub.offsetOf('a')).toBe(0);
  const apart = room.ticks('b').at(-1)! - room.ticks('a').at(-1)!;
  expect(Math.abs(apart - 20.2) % (2500 / 110)).toBeLessThan(1);
  expect(() => room.hub.command({ kind: 'nudge', share: 0.5 })).toThrow('within ± 10%');
});

test('one clock in, sixty-four followers out: the cure for a source with a single destination', () => {
  const { room } = following();
  room.hub.setFeeds(Array.from({ length: 64 }, (_, i) => feed(`f${i}`)));
  const out = room.run(3000);
  const counts = Array.from({ length: 64 }, (_, i) => room.ticks(`f${i}`, out).length);
  expect(new Set(counts).size).toBe(1);
  expect(counts[0]).toBeGreaterThan(100);
});
