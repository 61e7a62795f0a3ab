import { measureClock } from '../measure/measure-clock';
import { encodeMidi } from '../midi/encode-midi';
import { seededRandom } from '../standin/random';
import { networkTrial } from '../testing/network-trial';
import { A, B, DRIFT_PPM, TwoEnds } from '../testing/two-ends';
import { SessionHost } from './session-host';

const states = (host: SessionHost) => host.sessions(0).map(({ state }) => state);

test('an invitation is answered only once the user accepts; then both are open and know each other’s names', () => {
  const room = new TwoEnds();
  room.a.invite(B, 'somebody', room.nowMs);
  room.run(5000);
  expect([states(room.a), states(room.b)]).toEqual([['calling'], ['ringing']]);
  room.b.accept(room.b.sessions(0)[0]!.id, room.clockB());
  room.run(100);
  expect([states(room.a), states(room.b)]).toEqual([['open'], ['open']]);
  expect(room.a.sessions(0)[0]!.name).toBe('Jetty');
  expect(room.b.sessions(0)[0]!.name).toBe('Boathouse');
});

test('declined, cancelled, ended and unanswered sessions give the reason', () => {
  const refused = new TwoEnds();
  refused.a.invite(B, '', refused.nowMs);
  refused.run(50);
  refused.b.leave(refused.b.sessions(0)[0]!.id, refused.clockB());
  refused.run(50);
  expect(refused.a.sessions(0)[0]).toMatchObject({ state: 'ended', reason: 'Declined by peer' });

  const ended = new TwoEnds();
  ended.connect();
  ended.a.leave(ended.a.sessions(0)[0]!.id, ended.nowMs);
  ended.run(50);
  expect(ended.b.sessions(0)[0]).toMatchObject({ state: 'ended', reason: 'Ended by peer' });
  ended.run(70_000);
  expect([states(ended.a), states(ended.b)]).toEqual([[], []]);

  const alone = new TwoEnds({ delayMs: 1, loss: 1 });
  alone.a.invite(B, '', alone.nowMs);
  alone.run(15_000);
  expect(alone.a.sessions(0)[0]).toMatchObject({ state: 'ended', reason: 'No reply' });
});

test('a restarted peer is let in again, and its forgotten session ends', () => {
  const room = new TwoEnds();
  room.connect();
  room.a = new SessionHost({ name: 'Boathouse', random: seededRandom(9).uniform });
  room.a.invite(B, '', room.nowMs);
  room.run(60);
  expect(states(room.b)).toEqual(['open', 'ringing']);
  room.b.accept(room.b.sessions(0)[1]!.id, room.clockB());
  room.run(200);
  expect([states(room.a), states(room.b)]).toEqual([['open'], ['ended', 'open']]);
  expect(room.b.sessions(0)[0]!.reason).toBe('Peer restarted');
});

test('a silent peer times out: soon on the polling side, later on the polled side', () => {
  const room = new TwoEnds();
  room.connect();
  room.a.receive = room.b.receive = () => undefined;
  room.run(12_000);
  expect(room.a.sessions(0)[0]).toMatchObject({ state: 'ended', reason: 'Connection lost' });
  expect(states(room.b)).toEqual(['open']);
  room.run(70_000);
  expect(states(room.b)).toEqual(['ended']);
});

test('the peer’s clock is known within 0.2 ms, with its drift', () => {
  const room = new TwoEnds({ delayMs: 0.1, jitterMs: 0.05 });
  room.connect();
  room.run(60_000);
  const clock = room.a.sessions(room.nowMs)[0]!.clock!;
  expect(Math.abs(clock.offsetMs - (room.clockB() - room.nowMs))).toBeLessThan(0.2);
  expect(Math.abs(clock.driftPpm - DRIFT_PPM)).toBeLessThan(10);
  const other = room.b.sessions(room.clockB())[0]!.clock!;
  expect(Math.abs(other.offsetMs + (room.clockB() - room.nowMs))).toBeLessThan(0.2);
});

test('between two computers that sleep and wake up slowly, neither clock is off by what waking takes', () => {
  const room = new TwoEnds({ delayMs: 0.1, jitterMs: 0.02 });
  room.wakesInMs = 0.4;
  room.connect();
  room.run(20_000);
  const shiftMs = room.clockB() - room.nowMs;
  expect(Math.abs(room.a.sessions(room.nowMs)[0]!.clock!.offsetMs - shiftMs)).toBeLessThan(0.06);
  expect(Math.abs(room.b.sessions(room.clockB())[0]!.clock!.offsetMs + shiftMs)).toBeLessThan(0.06);
});

test.each([-100, 40, 100])('a clock that drifts by %d ppm is played without a lag', (driftPpm) => {
  const room = new TwoEnds({ delayMs: 0.3, jitterMs: 0.05 }, 3, driftPpm);
  room.connect();
  const played = sendClock(room, 120, 40).slice(-400);
  const tickMs = 2500 / 120;
  const off = played.map((ms, i) => ms - (played[0] ?? 0) - i * tickMs);
  // Over these 8 s, a drift of 40 ppm that nobody follows is 0.3 ms.
  expect(Math.max(...off) - Math.min(...off)).toBeLessThan(0.1);
  const { clock, playoutErrorMs } = room.b.sessions(room.clockB())[0]!;
  expect(clock!.driftPpm).toBeCloseTo(-driftPpm, -1);
  expect(playoutErrorMs).toBeLessThan(0.15);
});

test('when the peer’s clock is set, playout follows within four seconds instead of a minute of slewing', () => {
  const room = new TwoEnds({ delayMs: 0.3, jitterMs: 0.05 });
  room.connect();
  room.run(20_000);
  room.jumpMs = 20;
  room.run(4000);
  const { clock, playoutErrorMs } = room.a.sessions(room.nowMs)[0]!;
  expect(Math.abs(clock!.offsetMs - (room.clockB() - room.nowMs))).toBeLessThan(0.2);
  expect(playoutErrorMs).toBeLessThan(0.3);
});

test('two Metronomos are within 0.5 ms over bad networks, or say how far they may be off', () => {
  const trials = Array.from({ length: 8 }, (_, i) => networkTrial(i + 1));
  for (const { lastMs, saidMs } of trials) expect(lastMs).toBeLessThan(1.5 * saidMs);
  expect(trials.filter(({ errorMs }) => errorMs < 0.5).length).toBeGreaterThanOrEqual(7);
});

/** Sends a clock from A to B; returns when B plays the ticks, on A's clock. */
function sendClock(room: TwoEnds, bpm: number, seconds: number): number[] {
  const [session] = room.a.sessions(room.nowMs);
  const tickMs = 60_000 / bpm / 24;
  const startMs = room.nowMs + 50;
  let sent = 0;
  room.a.send(session!.id, [{ atMs: startMs - 2, bytes: Uint8Array.of(0xfa) }]);
  room.run(seconds * 1000, (nowMs) => {
    for (; startMs + sent * tickMs < nowMs + 60; sent++)
      room.a.send(session!.id, [{ atMs: startMs + sent * tickMs, bytes: Uint8Array.of(0xf8) }]);
  });
  return room.heardByB.filter(({ bytes }) => bytes[0] === 0xf8).map(({ atMs }) => room.clockA(atMs));
}

test.each([
  [120, 1],
  [300, 2],
])(
  'with 5 ms rms of jitter and 1%% loss, ticks at %d BPM come out within 0.5 ms rms with a 30 ms buffer',
  (bpm, seed) => {
    const room = new TwoEnds({ delayMs: 10, jitterMs: 5, loss: 0.01 }, seed);
    room.connect();
    const played = sendClock(room, bpm, 60);
    const report = measureClock(played);

    const { lost, reordered, playedLate } = room.b.sessions(room.clockB())[0]!;
    expect(report.jitterRmsMs).toBeLessThan(0.5);
    expect(report).toMatchObject({ missing: 0, extra: 0 });
    // The buffer's dead band allows slow drift: 100 ppm is 0.1 ms per second.
    expect(Math.abs(report.bpm / bpm - 1)).toBeLessThan(100e-6);
    expect(lost / played.length).toBeGreaterThan(0.005);
    expect(lost / played.length).toBeLessThan(0.02);
    if (bpm === 300) expect(reordered).toBeGreaterThan(100);
    expect(playedLate / played.length).toBeLessThan(0.01);
    // Without the buffer, arrivals are ten times as jittery: the simulated link is as bad as it claims.
    expect(room.b.sessions(room.clockB())[0]!.jitterMs).toBeGreaterThan(3);
  },
);

test('start, stop and position are repaired when their packets are lost', () => {
  const room = new TwoEnds({ delayMs: 2 });
  room.connect();
  const id = room.a.sessions(0)[0]!.id;
  const say = (after: number, ...messages: Parameters<typeof encodeMidi>[0][]) =>
    room.a.send(
      id,
      messages.map((message) => ({ atMs: room.nowMs + after, bytes: encodeMidi(message) })),
    );
  const heard = () => room.heardByB.splice(0).map(({ bytes }) => bytes[0]!.toString(16));
  const lose = (ms: number) => {
    const real = room.b.receive;
    room.b.receive = () => undefined;
    room.run(ms);
    room.b.receive = real;
  };
  say(0, { kind: 'clock' });
  room.run(20);
  say(0, { kind: 'start' });
  lose(20);
  say(0, { kind: 'clock' });
  room.run(60);
  expect(heard()).toEqual(['f8', 'fa', 'f8']);
  say(0, { kind: 'stop' }, { kind: 'songPosition', sixteenths: 16 });
  lose(20);
  // Nothing follows it; a journal-only packet repeats it.
  room.run(200);
  expect(heard()).toEqual(['fc', 'f2']);
});

test('a lost note-off never hangs, and a note-on lost moments ago is replayed late', () => {
  const room = new TwoEnds({ delayMs: 2 });
  room.connect();
  const id = room.a.sessions(0)[0]!.id;
  const say = (...bytes: number[]) => room.a.send(id, [{ atMs: room.nowMs, bytes: Uint8Array.from(bytes) }]);
  const real = room.b.receive;
  say(0x92, 60, 100);
  room.run(20);
  room.b.receive = () => undefined;
  say(0x82, 60, 0);
  room.run(10);
  say(0x92, 64, 90);
  room.run(20);
  room.b.receive = real;
  room.run(200);
  expect(room.heardByB.map(({ bytes }) => [...bytes].slice(0, 2))).toEqual([
    [0x92, 60],
    [0x92, 64],
    [0x82, 60],
  ]);
});

test('a roll whose start was lost is joined on a sixteenth, at the right position', () => {
  const room = new TwoEnds({ delayMs: 2 });
  room.connect();
  const id = room.a.sessions(0)[0]!.id;
  const real = room.b.receive;
  room.b.receive = () => undefined;
  const startMs = room.nowMs + 5;
  room.a.send(id, [{ atMs: startMs, bytes: Uint8Array.of(0xfa) }]);
  for (let tick = 0; tick < 40; tick++)
    room.a.send(id, [{ atMs: startMs + 2 + tick * 20, bytes: Uint8Array.of(0xf8) }]);
  room.a.send(id, [{ atMs: startMs + 790, bytes: Uint8Array.of(0xfc) }]);
  room.run(210);
  room.b.receive = real;
  room.run(900);
  const heard = room.heardByB.map(({ bytes }) => [...bytes]);
  const place = heard.findIndex(([status]) => status === 0xf2);
  const sixteenths = heard[place]![1]!;
  expect(heard[place + 1]).toEqual([0xfb]);
  // The ticks after it are the ones the sender had left from that position on.
  expect(heard.length - (place + 2)).toBe(40 - sixteenths * 6 + 1);
  expect(heard.at(-1)).toEqual([0xfc]);
});

test('a SysEx of any length arrives complete; one with a lost segment doesn’t arrive', () => {
  const room = new TwoEnds({ delayMs: 2 });
  room.connect();
  const id = room.a.sessions(0)[0]!.id;
  const data = Uint8Array.from({ length: 5000 }, (_, i) => i % 128);
  room.a.send(id, [{ atMs: room.nowMs, bytes: encodeMidi({ kind: 'sysex', data }) }]);
  room.run(100);
  expect(room.heardByB).toHaveLength(1);
  expect(room.heardByB[0]!.bytes.subarray(1, -1)).toEqual(data);
});

test('an unknown sender’s datagrams reach no session and get no reply', () => {
  const room = new TwoEnds();
  room.connect();
  const music = room.datagrams.findLast((bytes) => bytes[0] === 0xff)!;
  const stranger = { address: '127.0.0.1', port: 7777 };
  room.b.receive('data', stranger, music, room.clockB());
  room.b.receive('control', { ...A, address: '127.0.0.9' }, music, room.clockB());
  const { datagrams, messages } = room.b.drain();
  expect([datagrams, messages]).toEqual([[], []]);
  for (let i = 0; i < 100; i++)
    room.b.receive('control', { address: '127.0.0.1', port: 8000 + i }, invitation(i), room.clockB() + i * 60);
  expect(states(room.b).filter((state) => state === 'ringing')).toHaveLength(4);
  expect(room.b.drain().datagrams).toEqual([]);
});

test('strangers from many addresses can’t keep out whoever invites us next: the longest unanswered one makes room', () => {
  const room = new TwoEnds();
  for (let i = 0; i < 100; i++)
    room.b.receive('control', { address: `192.0.2.${i}`, port: 8000 }, invitation(i), room.clockB() + i * 60);
  const ringing = room.b.sessions(room.clockB()).filter(({ state }) => state === 'ringing');
  expect(ringing).toHaveLength(16);
  expect(ringing.at(-1)!.address).toBe('192.0.2.99');
  expect(room.b.drain().datagrams).toEqual([]);
});

test('a hundred thousand random datagrams: nothing throws, nothing is kept', () => {
  const room = new TwoEnds();
  room.connect();
  const random = seededRandom(5);
  const noise = Uint8Array.from({ length: 100_000 }, () => Math.floor(random.uniform() * 256));
  const [real] = room.datagrams.filter((bytes) => bytes[0] === 0xff);
  for (let i = 0; i < 100_000; i++) {
    const start = Math.floor(random.uniform() * 99_000);
    const bytes = noise.slice(start, start + Math.floor(random.uniform() * 80));
    // Half start with a valid header, so that they get past the first check.
    if (i % 4 === 1) bytes.set([0x80, 0x61].slice(0, bytes.length));
    if (i % 4 === 3) bytes.set(real!.subarray(0, Math.min(bytes.length, 4 + Math.floor(random.uniform() * 12))));
    const from = i % 2 ? A : { address: A.address, port: A.port + 1 };
    room.b.receive(i % 2 ? 'control' : 'data', from, bytes, room.clockB());
  }
  room.b.advance(room.clockB());
  const { sessions } = { sessions: room.b.sessions(room.clockB()) };
  expect(sessions.length).toBeLessThanOrEqual(17);
  expect(sessions[0]!.state).toBe('open');
});

function invitation(i: number): Uint8Array {
  return Uint8Array.of(0xff, 0xff, 0x49, 0x4e, 0, 0, 0, 2, 0, 0, 1, i, 0, 0, 2, i, 0x41, 0);
}
