import { MAX_OFFSET_MS, type FeedSettings } from '../feed/feed-settings';
import { decodeMmc } from '../midi/mmc';
import { MidiParser } from '../midi/parser';
import { quarterFrames, readFullFrame } from '../timecode/timecode-messages';
import { Hub } from './hub';
import type { Outgoing } from './outgoing';

const NO_SYNC = { clock: false, transport: false, position: false, timecode: null };
const CLOCK = { clock: true, transport: true, position: true, timecode: null };
const feed = (id: string, change: Partial<FeedSettings> = {}) => ({
  id,
  portId: `port-${id}`,
  settings: { sends: CLOCK, offsetMs: 0, clockWhileStopped: false, ...change },
});
const NOTES = { channel: 10, barNote: 60, beatNote: 60, velocity: 100 };

/** Advances every 10 ms with 60 ms of lookahead. */
function run(hub: Hub, fromMs: number, toMs: number): Outgoing[] {
  const out: Outgoing[] = [];
  for (let nowMs = fromMs; nowMs < toMs; nowMs += 10) out.push(...hub.advance(nowMs, 60));
  return out;
}
const heard = (out: Outgoing[], feedId: string) => {
  const parser = new MidiParser();
  return out
    .filter((one) => one.feedId === feedId)
    .flatMap(({ bytes, atMs }) => parser.push(bytes, atMs).map(({ message }) => ({ ...message, atMs })));
};

/** MIDI 1.0: a note-on is ended by a note-off; until then a receiver holds the note. */
function hanging(out: Outgoing[], feedId: string): number {
  let on = 0;
  for (const { kind } of heard(out, feedId)) {
    if (kind === 'noteOn') on++;
    if (kind === 'noteOff') on--;
  }
  return on;
}

/** A hub that plays notes, up to a note-on whose note-off isn't planned yet. */
function upToANote() {
  const hub = new Hub({ bpm: 120 });
  hub.setFeeds([feed('a', { sends: NO_SYNC, notes: NOTES })]);
  run(hub, 0, 100);
  hub.command({ kind: 'play' });
  const out: Outgoing[] = [];
  let nowMs = 100;
  while (hanging(out, 'a') === 0) out.push(...run(hub, nowMs, (nowMs += 10)));
  return { hub, out, nowMs };
}

test.each<[string, (hub: Hub) => void]>([
  ['changed', (hub) => hub.setFeeds([feed('a', { sends: NO_SYNC, notes: { ...NOTES, channel: 3 } })])],
  ['removed', (hub) => hub.setFeeds([])],
  ['held', (hub) => hub.command({ kind: 'hold', feedId: 'a' })],
  ['muted', (hub) => hub.command({ kind: 'mute', feedId: 'a', muted: true })],
  ['restarted', (hub) => hub.command({ kind: 'rejoin', feedId: 'a' })],
])('a note that is on ends when the feed is %s', (_, change) => {
  const { hub, out, nowMs } = upToANote();
  change(hub);
  hub.command({ kind: 'stop' });
  out.push(...run(hub, nowMs, nowMs + 1000));
  expect(hanging(out, 'a')).toBe(0);
  const times = heard(out, 'a').map(({ atMs }) => atMs);
  expect(times).toEqual([...times].sort((a, b) => a - b));
});

test('a note that is on ends when the machine sleeps', () => {
  const { hub, out, nowMs } = upToANote();
  out.push(...run(hub, nowMs + 5000, nowMs + 6000));
  expect(hanging(out, 'a')).toBe(0);
});

test('one wire carries clock, timecode and notes, each at its own offset, in order of time', () => {
  const hub = new Hub({ bpm: 120 });
  const trigger = { every: 1, sends: { kind: 'note', channel: 5, note: 40, velocity: 90 } } as const;
  const settings = {
    sends: { ...CLOCK, timecode: '25' },
    offsetMs: -30,
    timecodeOffsetMs: 10,
    noteOffsetsMs: { 5: -12 },
    triggers: [trigger],
  } as const;
  hub.setFeeds([feed('a', settings)]);
  run(hub, 0, 100);
  hub.command({ kind: 'play' });
  const out = heard(run(hub, 100, 2200), 'a');
  const first = (wanted: string) => out.find(({ kind }) => kind === wanted)!.atMs;
  expect(first('noteOn') - first('clock')).toBeCloseTo(18, 6);
  expect(first('quarterFrame') - first('clock')).toBeCloseTo(40, 6);
  const times = out.map(({ atMs }) => atMs);
  expect(times).toEqual([...times].sort((a, b) => a - b));
  // 24 ticks a beat (MIDI 1.0), 100 quarter frames a second at 25 fps (MTC).
  const within = (wanted: string) =>
    out.filter(({ kind, atMs }) => kind === wanted && atMs >= first(wanted) && atMs < first(wanted) + 1000).length;
  expect(within('clock')).toBeCloseTo(48, -1);
  expect(within('quarterFrame')).toBe(100);
});

test('offsets of each kind move while playing, without a restart', () => {
  const hub = new Hub({ bpm: 120 });
  const sends = { ...CLOCK, timecode: '25' } as const;
  hub.setFeeds([feed('a', { sends, timecodeOffsetMs: 0 })]);
  run(hub, 0, 100);
  hub.command({ kind: 'play' });
  run(hub, 100, 1000);
  hub.setFeeds([feed('a', { sends, timecodeOffsetMs: 20 })]);
  const kinds = new Set(heard(run(hub, 1000, 2000), 'a').map(({ kind }) => kind));
  expect([...kinds].sort()).toEqual(['clock', 'quarterFrame']);
});

test('timecode leads at a rate that lacks the song’s start code: the hub follows, and advance never throws', () => {
  const hub = new Hub({ bpm: 120 });
  hub.setFeeds([feed('a')]);
  // Frame 29 exists at 30 fps only.
  const timecodeStart = { hours: 0, minutes: 0, seconds: 0, frames: 29 };
  hub.setSources([{ id: 'tape', portId: 'in', language: 'timecode', timecodeStart }]);
  hub.setLeaders(['tape', 'hub']);
  const out: Outgoing[] = [];
  let quarter = 0;
  for (let nowMs = 0; nowMs < 4000; nowMs += 10) {
    const code = {
      hours: 0,
      minutes: 0,
      seconds: Math.floor(quarter / 100),
      frames: 2 * Math.floor((quarter % 100) / 8),
    };
    const message = quarterFrames(code, '25')[quarter % 8]!;
    hub.receive('in', message, nowMs);
    quarter++;
    out.push(...hub.advance(nowMs, 60));
  }
  expect(hub.snapshot()).toMatchObject({ leader: 'tape', state: 'rolling' });
  expect(hub.snapshot().sources[0]).toMatchObject({ receiving: 'timecode', rate: '25' });
  expect(hub.snapshot().faults).toEqual([]);
});

test('a fault in one wire silences that wire, with its reason, and the others play on', () => {
  const hub = new Hub({ bpm: 120 });
  const timecodeStart = { hours: 0, minutes: 0, seconds: 0, frames: 29 };
  const bad = feed('bad', { sends: { ...CLOCK, timecode: '24' }, timecodeStart });
  hub.setFeeds([bad, feed('good')]);
  run(hub, 0, 100);
  hub.command({ kind: 'play' });
  const out = run(hub, 100, 1100);
  expect(heard(out, 'bad')).toEqual([]);
  expect(heard(out, 'good').length).toBeGreaterThan(40);
  expect(hub.snapshot().faults).toEqual([
    { feedId: 'bad', reason: expect.stringContaining('doesn’t exist at 24 fps') },
  ]);
  hub.setFeeds([feed('bad', { sends: { ...CLOCK, timecode: '30' }, timecodeStart }), feed('good')]);
  expect(hub.snapshot().faults).toEqual([]);
  expect(heard(run(hub, 1100, 2100), 'bad').length).toBeGreaterThan(40);
});

test.each([-200, 200])(
  'an offset moved by %d ms while playing never crowds the ticks, and arrives within two beats',
  (toMs) => {
    const hub = new Hub({ bpm: 120 });
    hub.setFeeds([feed('a')]);
    run(hub, 0, 100);
    hub.command({ kind: 'play' });
    const out = run(hub, 100, 2000);
    hub.setFeeds([feed('a', { offsetMs: toMs })]);
    out.push(...run(hub, 2000, 4000));
    const ticks = heard(out, 'a')
      .filter(({ kind }) => kind === 'clock')
      .map(({ atMs }) => atMs);
    const normalMs = 60_000 / 120 / 24;
    const gaps = ticks.slice(1).map((ms, i) => ms - ticks[i]!);
    expect(Math.min(...gaps)).toBeGreaterThan(0.6 * normalMs);
    // Ticks two beats later are on the old grid, moved by the offset.
    const before = ticks.findLast((ms) => ms < 2050)!;
    const after = ticks.find((ms) => ms > 2050 + 1000 + toMs)!;
    const off = (((after - before - toMs) % normalMs) + normalMs) % normalMs;
    expect(Math.min(off, normalMs - off)).toBeLessThan(1e-6);
  },
);

test('nudging ends at the limit of the offset, where hub and feed still agree', () => {
  const hub = new Hub({ bpm: 120 });
  hub.setFeeds([feed('a')]);
  run(hub, 0, 100);
  hub.command({ kind: 'play' });
  run(hub, 100, 1000);
  hub.command({ kind: 'nudge', share: -0.1, feedId: 'a' });
  run(hub, 1000, 20_000);
  hub.command({ kind: 'nudge', share: 0, feedId: 'a' });
  expect(hub.offsetOf('a')).toBe(MAX_OFFSET_MS);
});

/** MIDI clock of a machine that plays: start, then 24 ticks a beat. */
function lead(hub: Hub, bpm: number, { rolling }: { rolling: boolean }) {
  let tick = -1;
  return (fromMs: number, toMs: number): Outgoing[] => {
    const out: Outgoing[] = [];
    const everyMs = 60_000 / bpm / 24;
    for (let nowMs = fromMs; nowMs < toMs; nowMs += 10) {
      if (tick < 0 && rolling) hub.receive('in', Uint8Array.of(0xfa), nowMs);
      while ((tick + 1) * everyMs <= nowMs) hub.receive('in', Uint8Array.of(0xf8), ++tick * everyMs);
      out.push(...hub.advance(nowMs, 60));
    }
    return out;
  };
}
const MACHINE = { id: 'machine', portId: 'in', language: 'clock' } as const;

test('a feed added while the hub idles behind a 140 BPM clock idles at 140 too', () => {
  const hub = new Hub({ bpm: 120 });
  hub.setSources([MACHINE]);
  hub.setLeaders(['machine', 'hub']);
  hub.setFeeds([feed('a', { clockWhileStopped: true })]);
  const play = lead(hub, 140, { rolling: false });
  play(0, 3000);
  hub.setFeeds([feed('a', { clockWhileStopped: true }), feed('b', { clockWhileStopped: true })]);
  const out = play(3000, 5000);
  for (const id of ['a', 'b']) {
    const ticks = heard(out, id).map(({ atMs }) => atMs);
    expect((ticks.at(-1)! - ticks[0]!) / (ticks.length - 1)).toBeCloseTo(60_000 / 140 / 24, 1);
  }
});

test('going to the start while a machine leads and plays sends nothing: only the machine can', () => {
  const hub = new Hub({ bpm: 120 });
  hub.setSources([MACHINE]);
  hub.setLeaders(['machine', 'hub']);
  hub.setFeeds([feed('a')]);
  const play = lead(hub, 120, { rolling: true });
  play(0, 4000);
  expect(hub.snapshot()).toMatchObject({ leader: 'machine', state: 'rolling' });
  hub.command({ kind: 'locate', beat: 0 });
  expect(new Set(heard(play(4000, 5000), 'a').map(({ kind }) => kind))).toEqual(new Set(['clock']));
});

test('everything due after a stop is due by the time the hub says, even for the latest follower', () => {
  const hub = new Hub({ bpm: 120 });
  hub.setFeeds([feed('a', { offsetMs: 450 }), feed('b', { sends: NO_SYNC, notes: NOTES, offsetMs: 20 })]);
  run(hub, 0, 100);
  hub.command({ kind: 'play' });
  run(hub, 100, 3000);
  hub.command({ kind: 'stop' });
  const { lastDueMs } = hub;
  const out = run(hub, 3000, 5000);
  const last = Math.max(...out.map(({ atMs }) => atMs));
  expect(heard(out, 'a').at(-1)).toMatchObject({ kind: 'stop' });
  expect(lastDueMs).toBeGreaterThanOrEqual(last);
  expect(lastDueMs - last).toBeLessThan(100);
});

test.each([0.5, 2] as const)(
  'another clock rate, ×%d, applies in place while playing: no stop, and the beats stay on the beat',
  (clockRate) => {
    const hub = new Hub({ bpm: 120 });
    hub.setFeeds([feed('a')]);
    run(hub, 0, 100);
    hub.command({ kind: 'play' });
    const out = run(hub, 100, 2000);
    hub.setFeeds([feed('a', { clockRate })]);
    out.push(...run(hub, 2000, 5000));
    const messages = heard(out, 'a');
    expect(messages.map(({ kind }) => kind).filter((kind) => kind !== 'clock')).toEqual(['songPosition', 'start']);
    const ticks = messages.filter(({ kind }) => kind === 'clock').map(({ atMs }) => atMs);
    const gaps = ticks.slice(1).map((ms, i) => ms - ticks[i]!);
    const normalMs = 60_000 / 120 / 24;
    const changesAt = gaps.findIndex((ms) => Math.abs(ms - normalMs) > 1e-6);
    // It changes on a beat, where the follower has counted whole beats: 24 ticks each (MIDI 1.0).
    expect(changesAt % 24).toBe(0);
    for (const ms of gaps.slice(changesAt)) expect(ms).toBeCloseTo(normalMs / clockRate, 6);
  },
);

test('triggers change in place while playing: what sets and resets them is sent, and clock goes on', () => {
  const hub = new Hub({ bpm: 120 });
  const controller = (value: number) => ({ kind: 'controller', channel: 3, controller: 20, value }) as const;
  const trigger = { every: 1, sends: { kind: 'note', channel: 3, note: 40, velocity: 90 } } as const;
  hub.setFeeds([feed('a', { triggers: [{ ...trigger, atStart: controller(1), atStop: controller(2) }] })]);
  run(hub, 0, 100);
  hub.command({ kind: 'play' });
  run(hub, 100, 2000);
  hub.setFeeds([feed('a', { triggers: [{ ...trigger, every: 1 / 4, atStart: controller(3) }] })]);
  const messages = heard(run(hub, 2000, 4000), 'a');
  const values = messages.flatMap((one) => (one.kind === 'controlChange' ? [one.value] : []));
  expect(values).toEqual([2, 3]);
  expect(messages.filter(({ kind }) => kind === 'noteOn').length).toBeGreaterThan(14);
  expect(messages.some(({ kind }) => kind === 'stop' || kind === 'continue')).toBe(false);
});

test('who joins a wire in mid-song is stopped, positioned and started before a sixteenth; no tick is lost', () => {
  const hub = new Hub({ bpm: 120 });
  hub.setFeeds([{ ...feed('a'), reaches: ['one'] }]);
  run(hub, 0, 100);
  hub.command({ kind: 'play' });
  const out = run(hub, 100, 2000);
  hub.setFeeds([{ ...feed('a'), reaches: ['one', 'two'] }]);
  out.push(...run(hub, 2000, 4000));
  const messages = heard(out, 'a');
  const at = messages.findIndex(({ kind }) => kind === 'stop');
  expect(messages.slice(at, at + 4).map(({ kind }) => kind)).toEqual(['stop', 'songPosition', 'continue', 'clock']);
  const ticks = messages.filter(({ kind }) => kind === 'clock').map(({ atMs }) => atMs);
  const number = messages.slice(0, at).filter(({ kind }) => kind === 'clock').length;
  // Song position counts sixteenths, of six ticks (MIDI 1.0).
  expect(messages[at + 1]).toMatchObject({ sixteenths: number / 6 });
  ticks.slice(1).forEach((ms, i) => expect(ms - ticks[i]!).toBeCloseTo(60_000 / 120 / 24, 6));
});

test('machine control is sent to where the song really starts, also beside gear that waits for the next bar', () => {
  const hub = new Hub({ bpm: 120 });
  hub.setFeeds([feed('a', { sends: { clock: true, transport: true, position: false, timecode: null, mmc: true } })]);
  run(hub, 0, 100);
  hub.command({ kind: 'locate', beat: 5 });
  run(hub, 100, 300);
  hub.command({ kind: 'play' });
  const messages = heard(run(hub, 300, 4000), 'a');
  const play = messages.find((one) => one.kind === 'sysex' && decodeMmc(one.data).commands[0]?.kind === 'play')!;
  const start = messages.find(({ kind }) => kind === 'start')!;
  // The machine, located at 2.5 s, plays at once; the clock follower starts three beats later, with bar 3.
  expect(start.atMs - play.atMs).toBeCloseTo(1500, 0);
  hub.command({ kind: 'stop' });
  run(hub, 4000, 4500);
  hub.command({ kind: 'play' });
  const again = heard(run(hub, 4500, 6000), 'a').flatMap((one) =>
    one.kind === 'sysex' ? decodeMmc(one.data).commands : [],
  );
  expect(again.map(({ kind }) => kind)).toEqual(['locate', 'play']);
});

test('a clock at half rate restarts at once, although its next tick is far away', () => {
  const hub = new Hub({ bpm: 40 });
  hub.setFeeds([feed('a', { clockRate: 0.5 })]);
  run(hub, 0, 100);
  hub.command({ kind: 'play' });
  hub.command({ kind: 'locate', beat: 0 });
  expect(heard(run(hub, 100, 3000), 'a').filter(({ kind }) => kind === 'clock').length).toBeGreaterThan(15);
});

test('a clock that stays on while stopped can be switched on while stopped', () => {
  const hub = new Hub({ bpm: 120 });
  hub.setFeeds([feed('a')]);
  run(hub, 0, 100);
  hub.setFeeds([feed('a', { clockWhileStopped: true })]);
  expect(heard(run(hub, 100, 1000), 'a').length).toBeGreaterThan(30);
});

test('a tempo change in the count-in leaves the song’s start at its timecode', () => {
  const hub = new Hub({ bpm: 60 });
  const timecodeStart = { hours: 1, minutes: 0, seconds: 0, frames: 0 };
  hub.setFeeds([feed('a', { sends: { ...NO_SYNC, timecode: '25' }, timecodeStart })]);
  run(hub, 0, 100);
  hub.command({ kind: 'play', countIn: true });
  run(hub, 100, 2000);
  hub.command({ kind: 'tempo', bpm: 120 });
  run(hub, 2000, 12_000);
  const { beat, songMs } = hub.gridAt(11_000);
  expect(songMs).toBeCloseTo(beat * 500, 6);
});

test('a device that takes over in the fallback order is sent nothing, and gets sync again once it no longer leads', () => {
  const hub = new Hub({ bpm: 120 });
  hub.setSources([MACHINE]);
  hub.setFeeds([{ ...feed('a'), reaches: ['machine'] }, feed('b')]);
  hub.setLeaders(['hub', 'machine']);
  const play = lead(hub, 120, { rolling: true });
  play(0, 1000);
  hub.setLeaders(['machine', 'hub']);
  const out = play(1000, 4000);
  expect(hub.snapshot().leader).toBe('machine');
  expect(heard(out, 'a').filter(({ kind }) => kind === 'clock' || kind === 'start')).toEqual([]);
  expect(heard(out, 'b').length).toBeGreaterThan(60);
  hub.setLeaders(['hub']);
  expect(heard(play(4000, 6000), 'a').length).toBeGreaterThan(60);
});

test('a device on two cables leads by the one where its clock arrives', () => {
  const hub = new Hub({ bpm: 120 });
  hub.setSources([
    { id: 'machine', gearId: 'machine', portId: 'silent', language: 'clock' },
    { id: 'machine two', gearId: 'machine', portId: 'in', language: 'clock' },
  ]);
  hub.setLeaders(['machine', 'hub']);
  hub.setFeeds([feed('a')]);
  const out = lead(hub, 120, { rolling: true })(0, 3000);
  expect(hub.snapshot()).toMatchObject({ leader: 'machine', state: 'rolling' });
  expect(heard(out, 'a').length).toBeGreaterThan(60);
});

test('a leader’s tempo that was to apply just before a start doesn’t move the start', () => {
  const hub = new Hub({ bpm: 40 });
  hub.setSources([{ id: 'm0', portId: 'in', language: 'clock' }]);
  hub.setLeaders(['m0', 'hub']);
  hub.setFeeds([feed('a', { offsetMs: 450 })]);
  const out: Outgoing[] = [];
  let [nowMs, tick] = [0, 0];
  const until = (ms: number) => {
    while (nowMs < ms) {
      nowMs = Math.min(ms, nowMs + 12);
      for (; (tick * 125) / 3 <= nowMs; tick++) hub.receive('in', Uint8Array.of(0xf8), (tick * 125) / 3);
      out.push(...hub.advance(nowMs, 60));
    }
  };
  until(936);
  hub.command({ kind: 'tempo', bpm: 20 });
  until(959);
  hub.setLeaders(['hub', 'm0']);
  hub.command({ kind: 'play' });
  until(3000);
  const ticks = heard(out, 'a').filter(({ kind }) => kind === 'clock');
  expect(ticks.length).toBeGreaterThan(5);
  for (const [i, { atMs }] of ticks.entries()) expect(hub.gridAt(atMs - 450).beat * 24).toBeCloseTo(i, 6);
});

test('a tempo change right after a late join doesn’t leave the follower on the old tempo', () => {
  const hub = new Hub({ bpm: 40 });
  const early = feed('early', { offsetMs: -200 });
  hub.setFeeds([feed('a'), early]);
  run(hub, 0, 20);
  hub.command({ kind: 'play' });
  const out = run(hub, 20, 400);
  hub.command({ kind: 'mute', feedId: 'a', muted: true });
  hub.command({ kind: 'mute', feedId: 'a', muted: false });
  // Without the early follower, the tempo can change sooner than the other joins.
  hub.setFeeds([feed('a')]);
  hub.command({ kind: 'tempo', bpm: 20 });
  out.push(...run(hub, 400, 4000));
  const all = heard(out, 'a');
  const position = all.findLastIndex(({ kind }) => kind === 'songPosition');
  const { sixteenths } = all[position] as unknown as { sixteenths: number };
  const ticks = all.slice(position).filter(({ kind }) => kind === 'clock');
  expect(ticks.length).toBeGreaterThan(10);
  for (const [i, { atMs }] of ticks.entries()) expect(hub.gridAt(atMs).beat * 24).toBeCloseTo(6 * sixteenths + i, 6);
});

test('who joins a wire is stopped first, even if the wire’s rate changes once more before that', () => {
  const hub = new Hub({ bpm: 120 });
  const wire = (clockRate: 1 | 2, reaches: string[]) => ({ ...feed('a', { clockRate }), reaches });
  hub.setFeeds([wire(1, ['g2'])]);
  run(hub, 0, 100);
  hub.command({ kind: 'play' });
  run(hub, 100, 700);
  hub.setFeeds([wire(1, ['g1', 'g2'])]);
  hub.setFeeds([wire(2, ['g1'])]);
  const out = run(hub, 700, 1500);
  const kinds = heard(out, 'a')
    .map(({ kind }) => kind)
    .filter((kind) => kind !== 'clock');
  expect(kinds).toEqual(['stop', 'songPosition', 'continue']);
});

test.each<[string, (hub: Hub) => void]>([
  ['muted', (hub) => hub.command({ kind: 'mute', feedId: 'a', muted: true })],
  ['not soloed', (hub) => hub.command({ kind: 'solo', feedIds: ['b'] })],
  ['kept from the leader', (hub) => hub.setLeaders(['machine', 'hub'])],
])('a wire that is %s is sent nothing when its settings change', (_, silence) => {
  const hub = new Hub({ bpm: 120 });
  const wire = (change: Partial<FeedSettings>) => ({ ...feed('a', change), reaches: ['machine'] });
  hub.setFeeds([wire({}), feed('b')]);
  hub.setSources([{ id: 'machine', portId: 'in', language: 'clock', gives: 'tempo' }]);
  run(hub, 0, 100);
  for (let tick = 0; tick < 96; tick++) hub.receive('in', Uint8Array.of(0xf8), (tick * 2500) / 120);
  run(hub, 100, 2000);
  silence(hub);
  hub.command({ kind: 'play' });
  run(hub, 2000, 3000);
  hub.setFeeds([wire({ sends: { ...NO_SYNC, timecode: '25' } }), feed('b')]);
  expect(heard(run(hub, 3000, 3500), 'a')).toEqual([]);
});

test('a wire that has just been unmuted and then is to send standing code isn’t sent to the top of the song', () => {
  const hub = new Hub({ bpm: 120 });
  const sends = { ...NO_SYNC, timecode: '25' as const };
  // Everything is planned early for this one, so that the other joins a while after it was unmuted.
  const early = feed('b', { offsetMs: -300 });
  hub.setFeeds([feed('a', { sends }), early]);
  run(hub, 0, 100);
  hub.command({ kind: 'play' });
  run(hub, 100, 20_000);
  hub.command({ kind: 'mute', feedId: 'a', muted: true });
  run(hub, 20_000, 21_000);
  hub.command({ kind: 'mute', feedId: 'a', muted: false });
  run(hub, 21_000, 21_050);
  hub.setFeeds([feed('a', { sends, standingCode: 'quarterFrames' }), early]);
  const seconds = heard(run(hub, 21_050, 22_000), 'a').flatMap((message) =>
    message.kind === 'sysex' ? [readFullFrame(message.data)?.timecode.seconds] : [],
  );
  expect(seconds.length).toBeGreaterThan(0);
  expect(seconds.filter((second) => second !== 20 && second !== 21)).toEqual([]);
});

test('a held wire that a stop reaches too is left without a hanging note when it is released at once', () => {
  const atStop = { kind: 'note', channel: 3, note: 50, velocity: 90 } as const;
  const sends = { kind: 'note', channel: 3, note: 40, velocity: 90 } as const;
  const hub = new Hub({ bpm: 120 });
  hub.setFeeds([feed('a', { triggers: [{ every: 1, sends, atStop }] })]);
  const out = run(hub, 0, 100);
  hub.command({ kind: 'hold', feedId: 'a' });
  hub.command({ kind: 'play' });
  out.push(...run(hub, 100, 110));
  hub.command({ kind: 'stop' });
  let nowMs = 110;
  while (hanging(out, 'a') === 0 && nowMs < 1000) out.push(...run(hub, nowMs, (nowMs += 10)));
  expect(hanging(out, 'a')).toBe(1);
  hub.command({ kind: 'release', feedId: 'a' });
  out.push(...run(hub, nowMs, nowMs + 1000));
  expect(hanging(out, 'a')).toBe(0);
});
