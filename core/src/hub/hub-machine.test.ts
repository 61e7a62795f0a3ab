import { encodeMidi } from '../midi/encode-midi';
import { decodeMmc, encodeMmc, type MmcCommand } from '../midi/mmc';
import { feed, Room, source } from '../testing/room';
import type { FeedSettings } from '../feed/feed-settings';
import { readFullFrame } from '../timecode/timecode-messages';

const MACHINE = { clock: false, transport: false, position: false, timecode: null, mmc: true };
const CODE = { ...MACHINE, mmc: false, timecode: '25' as const };

function recorder(change: Partial<FeedSettings> = {}, sends: Partial<FeedSettings['sends']> = {}) {
  const room = new Room();
  room.hub.setFeeds([feed('tape', { sends: { ...MACHINE, ...sends }, ...change })]);
  room.run(200);
  return room;
}

/** Machine control by name, in the order sent. */
const commandsOf = (room: Room) =>
  room
    .heard('tape')
    .flatMap((one) => (one.kind === 'sysex' ? decodeMmc(one.data).commands.map(({ kind }) => kind) : []));

test('record is sent with play, and exit in mid-song; a stop ends it, and the next play doesn’t record', () => {
  const room = recorder({}, { record: true });
  room.hub.command({ kind: 'record', on: true });
  room.hub.command({ kind: 'play' });
  room.run(1000);
  expect(commandsOf(room)).toEqual(['locate', 'play', 'recordStrobe']);
  expect(room.hub.snapshot().records).toBe(true);
  room.hub.command({ kind: 'record', on: false });
  room.run(500);
  room.hub.command({ kind: 'record', on: true });
  room.run(500);
  room.hub.command({ kind: 'stop' });
  room.run(500);
  expect(commandsOf(room).slice(3)).toEqual(['recordExit', 'recordStrobe', 'stop']);
  expect(room.hub.snapshot().records).toBe(false);
  room.hub.command({ kind: 'play' });
  room.run(500);
  expect(commandsOf(room).slice(6)).toEqual(['locate', 'play']);
});

test('a recorder that is started again in mid-song records again, and one that may no longer record stops recording', () => {
  const room = recorder({}, { record: true });
  room.hub.command({ kind: 'record', on: true });
  room.hub.command({ kind: 'play' });
  room.run(1000);
  room.hub.command({ kind: 'rejoin', feedId: 'tape' });
  room.run(1000);
  expect(commandsOf(room).slice(3)).toEqual(['stop', 'locate', 'play', 'recordStrobe']);
  room.hub.setFeeds([feed('tape', { sends: MACHINE })]);
  room.run(500);
  expect(commandsOf(room).slice(7)).toEqual(['recordExit']);
});

test('a machine that was without machine control for a moment is located again before it plays', () => {
  const room = recorder();
  room.hub.command({ kind: 'locate', beat: 8 });
  room.run(100);
  room.hub.setFeeds([feed('tape', { sends: { ...MACHINE, mmc: false } })]);
  room.run(100);
  room.hub.setFeeds([feed('tape', { sends: MACHINE })]);
  room.run(100);
  room.hub.command({ kind: 'play' });
  room.run(500);
  expect(commandsOf(room)).toEqual(['locate', 'stop', 'locate', 'play']);
});

test('fast forward and rewind wind the song and every machine; what comes next is located where that ended', () => {
  const room = recorder();
  room.hub.setFeeds([
    feed('tape', { sends: MACHINE }),
    feed('box', { sends: { clock: true, transport: true, position: true, timecode: null } }),
  ]);
  room.hub.setSources([source('desk', { obeys: true })]);
  const say = (kind: 'play' | 'stop' | 'fastForward' | 'rewind', ms: number) => {
    room.hub.receive('from-desk', encodeMidi(encodeMmc({ kind })), room.nowMs);
    room.run(ms);
    return room.hub.snapshot();
  };
  say('play', 2000);
  const { state, beat, winds } = say('fastForward', 2000);
  expect({ state, winds }).toEqual({ state: 'stopped', winds: 'fastForward' });
  // 16 beats a second, from bar 1 beat 4 or so.
  expect(beat).toBeGreaterThan(30);
  expect(beat).toBeLessThan(38);
  expect(commandsOf(room).slice(-2)).toEqual(['stop', 'fastForward']);
  const positions = room.heard('box').flatMap((one) => (one.kind === 'songPosition' ? [one.sixteenths / 4] : []));
  expect(positions.length).toBeGreaterThan(12);
  const stopped = say('stop', 500);
  expect(stopped.beat).toBeCloseTo(beat, 0);
  expect(commandsOf(room).slice(-1)).toEqual(['locate']);
  // It ends by itself at the start of the song.
  const { beat: atStart, winds: still } = say('rewind', 5000);
  expect({ atStart, still }).toEqual({ atStart: 0, still: null });
  expect(commandsOf(room).slice(-2)).toEqual(['rewind', 'locate']);
  say('fastForward', 1000);
  expect(say('play', 1000).state).toBe('rolling');
  expect(commandsOf(room).slice(-3)).toEqual(['fastForward', 'locate', 'play']);
});

test('winding out of a count-in starts where play would have begun', () => {
  const room = recorder();
  room.hub.command({ kind: 'locate', beat: 4 });
  room.hub.command({ kind: 'play', countIn: true });
  room.run(50);
  room.hub.command({ kind: 'wind', direction: 'fastForward' });
  room.hub.command({ kind: 'stop' });
  room.run(500);
  expect(room.hub.snapshot()).toMatchObject({ beat: 4, state: 'stopped', faults: [] });
});

test('winding ends with the song', () => {
  const room = recorder();
  room.hub.setSong({ endBeat: 24 });
  room.hub.command({ kind: 'wind', direction: 'fastForward' });
  room.run(4000);
  expect(room.hub.snapshot()).toMatchObject({ beat: 24, winds: null, state: 'stopped' });
});

test('a device that may not record is never sent record', () => {
  const room = recorder();
  room.hub.command({ kind: 'record', on: true });
  room.hub.command({ kind: 'play' });
  room.run(500);
  room.hub.command({ kind: 'record', on: false });
  room.run(500);
  expect(commandsOf(room)).toEqual(['locate', 'play']);
});

test('a device that wants pause is sent pause instead of stop', () => {
  const room = recorder({}, { pause: true });
  room.hub.command({ kind: 'play' });
  room.run(500);
  room.hub.command({ kind: 'stop' });
  room.run(500);
  expect(commandsOf(room)).toEqual(['locate', 'play', 'pause']);
});

/** An input that sends machine control, which the hub obeys. */
function remote() {
  const room = recorder();
  room.hub.setSources([source('remote', { obeys: true })]);
  room.run(20);
  const press = (...kinds: Exclude<MmcCommand['kind'], 'locate' | 'unknown'>[]) => {
    for (const kind of kinds) room.hub.receive('from-remote', encodeMidi(encodeMmc({ kind })), room.nowMs);
    room.run(1000);
  };
  return { room, press };
}

test('pause stays in place where stop goes to the start; reset stops and goes there', () => {
  const { room, press } = remote();
  room.hub.setSong({ afterStop: 'toStart' });
  press('play');
  press('pause');
  expect(room.hub.snapshot().state).toBe('stopped');
  expect(room.hub.snapshot().beat).toBeGreaterThan(1);
  press('play');
  press('stop');
  expect(room.hub.snapshot().beat).toBe(0);
  press('play');
  press('reset');
  expect(room.hub.snapshot()).toMatchObject({ state: 'stopped', beat: 0 });
});

test('record strobe and exit are obeyed, and what the hub has no use for is listed', () => {
  const { room, press } = remote();
  press('recordStrobe');
  expect(room.hub.snapshot().records).toBe(true);
  press('recordExit', 'chase', 'eject', 'chase');
  expect(room.hub.snapshot().records).toBe(false);
  expect(room.hub.snapshot().sources[0]!.ignored).toEqual(['chase', 'eject']);
});

test('a port that isn’t obeyed neither does anything nor lists anything', () => {
  const { room, press } = remote();
  room.hub.setSources([source('remote')]);
  press('play', 'eject');
  expect(room.hub.snapshot()).toMatchObject({ state: 'stopped', sources: [{ ignored: [] }] });
});

/** Quarter frames and full frames while everything is stopped, after a locate to bar 3. */
function standing(standingCode: FeedSettings['standingCode']) {
  const room = new Room();
  room.hub.setFeeds([feed('tape', { sends: CODE, ...(standingCode && { standingCode }) })]);
  room.run(100);
  room.hub.command({ kind: 'locate', beat: 8 });
  room.run(200);
  const heard = room.heard('tape', room.run(2000));
  const full = heard.filter(({ kind }) => kind === 'sysex');
  const quarters = heard.flatMap((one) => (one.kind === 'quarterFrame' ? [one] : []));
  return { room, full, quarters };
}

test('a standing code is sent once, as a full frame twice a second, or in quarter frames at its rate', () => {
  const counts = ([undefined, 'fullFrames', 'quarterFrames'] as const).map((how) => {
    const { full, quarters } = standing(how);
    return [full.length, quarters.length];
  });
  expect(counts).toEqual([
    [0, 0],
    [4, 0],
    // 25 frames a second, four quarters each.
    [0, 200],
  ]);
});

test('the quarter frames of a standing code spell one position, in order', () => {
  const { quarters } = standing('quarterFrames');
  const first = quarters.findIndex(({ piece }) => piece === 0);
  const spelled = quarters.slice(first, first + 16);
  expect(spelled.map(({ piece }) => piece)).toEqual([0, 1, 2, 3, 4, 5, 6, 7, 0, 1, 2, 3, 4, 5, 6, 7]);
  expect(spelled.slice(0, 8).map(({ nibble }) => nibble)).toEqual(spelled.slice(8).map(({ nibble }) => nibble));
  // Eight beats at 110 BPM are 4.36 s: 00:00:04:09 at 25 fps. The last nibble holds the rate.
  expect(spelled.slice(0, 8).map(({ nibble }) => nibble)).toEqual([9, 0, 4, 0, 0, 0, 0, 2]);
});

test('the standing code ends before the song plays, and returns when it stops', () => {
  const { room } = standing('quarterFrames');
  room.hub.command({ kind: 'play' });
  const out = room.heard('tape', room.run(1000));
  const codes = out.filter(({ kind }) => kind === 'quarterFrame').length;
  // A second of quarter frames, whether they stand or run.
  expect(codes).toBeGreaterThan(90);
  expect(codes).toBeLessThan(103);
  room.hub.command({ kind: 'stop' });
  room.run(500);
  expect(room.heard('tape', room.run(1000)).filter(({ kind }) => kind === 'quarterFrame')).toHaveLength(100);
});

test('after a stop, timecode stays, returns to the start of the song, or runs on: per device', () => {
  const after = (afterStop: FeedSettings['afterStop']) => {
    const room = new Room();
    room.hub.setFeeds([feed('tape', { sends: CODE, ...(afterStop && { afterStop }) })]);
    room.run(100);
    room.hub.command({ kind: 'play' });
    room.run(3000);
    room.hub.command({ kind: 'stop' });
    const heard = room.heard('tape', room.run(2000));
    const full = heard.flatMap((one) => (one.kind === 'sysex' ? (readFullFrame(one.data)?.timecode ?? []) : []));
    const late = heard.filter((one) => one.kind === 'quarterFrame' && one.atMs > room.nowMs - 1000).length;
    return { seconds: full.map(({ seconds }) => seconds), late };
  };
  expect(after('stay')).toEqual({ seconds: [3], late: 0 });
  expect(after('toStart')).toEqual({ seconds: [0], late: 0 });
  const on = after('runOn');
  expect(on.seconds).toEqual([]);
  expect(on.late).toBeGreaterThan(90);
});

test('a song ends on its last bar line, and not a tick later', () => {
  const room = new Room();
  room.hub.setFeeds([feed('drums')]);
  room.hub.setSong({ tempo: [{ beat: 0, bpm: 150 }], endBeat: 8 });
  room.run(100);
  room.hub.command({ kind: 'play' });
  room.run(6000);
  expect(room.hub.snapshot()).toMatchObject({ state: 'stopped', beat: 8, songsEnded: 1 });
  expect(room.ticks('drums')).toHaveLength(8 * 24);
  // Past the end, play goes on.
  room.hub.command({ kind: 'play' });
  room.run(3000);
  expect(room.hub.snapshot()).toMatchObject({ state: 'rolling', songsEnded: 1 });
});

test('a pause of two bars before play, and stop calls it off', () => {
  const room = new Room();
  room.hub.setFeeds([feed('drums')]);
  room.hub.setSong({ tempo: [{ beat: 0, bpm: 120 }] });
  room.run(100);
  const pressedMs = room.nowMs;
  room.hub.command({ kind: 'play', afterBars: 2 });
  room.run(1000);
  expect(room.hub.snapshot().state).toBe('stopped');
  expect(room.hub.snapshot().playsInMs).toBeGreaterThan(2900);
  room.run(4500);
  const [first] = room.ticks('drums');
  expect(first! - pressedMs).toBeGreaterThan(4000);
  expect(first! - pressedMs).toBeLessThan(4200);
  room.hub.command({ kind: 'stop' });
  room.run(500);
  room.hub.command({ kind: 'play', afterBars: 2 });
  room.run(1000);
  room.hub.command({ kind: 'stop' });
  room.run(6000);
  expect(room.hub.snapshot()).toMatchObject({ state: 'stopped', playsInMs: null });
});
