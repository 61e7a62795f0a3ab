import { ClockFollower } from '../follow/clock-follower';
import { Hub } from '../hub/hub';
import { encodeMidi } from '../midi/encode-midi';
import { MidiParser } from '../midi/parser';
import { seededRandom } from '../standin/random';
import { adversary, followerAlone, judge, playAdversary, verdictOn, type Followed } from './adversaries';
import { TwoEnds } from './two-ends';

/** `npm run soak -- --adversaries 100000` plays as many as you like. */
const SEEDS = [
  ...Array.from({ length: 250 }, (_, i) => i + 1),
  // Once followed on a wrong tick.
  ...[5150, 12875, 18146, 31228, 41513, 45373, 46765, 49118, 51146, 53642, 59124, 62381, 63751, 65599, 76917, 92419],
  ...[17031, 68952],
];
/** Once unsure for good after ticks in the wrong order. */
const SWAPPED = [277, 591, 707, 1000, 1674, 1978, 2088, 2471, 2508, 2511, 2789, 4166, 5045];

test.each(['steady', 'quick'] as const)(
  'whatever goes wrong with a clock, %s ends up on the right tick, or says that it isn’t sure',
  (response) => {
    const verdicts = SEEDS.map((seed) => verdictOn(adversary(seed), followerAlone(response)));
    expect(verdicts.filter((verdict) => judge(verdict) === 'wrong')).toEqual([]);
    expect(verdicts.filter((verdict) => judge(verdict) === 'needlessly unsure').length).toBeLessThan(2);
    // Most of them can be told.
    expect(verdicts.filter(({ undecidable }) => !undecidable).length).toBeGreaterThan(SEEDS.length / 2);
  },
);

test.each(['steady', 'quick'] as const)('ticks in the wrong order don’t leave %s unsure', (response) => {
  const wrong = SWAPPED.filter((seed) => judge(verdictOn(adversary(seed), followerAlone(response))) !== 'right');
  expect(wrong).toEqual([]);
});

/** Without clock jumps: to the hub, its own clock is the only one. */
const OF_ONE_CLOCK = SEEDS.map(adversary).filter(({ troubles }) => troubles.every(({ kind }) => kind !== 'clockJump'));

/** A hub that is led by the clock and wakes up every 12 ms. */
function hubLed(response: 'steady' | 'quick'): Followed & Pick<Hub, 'gridAt'> {
  const hub = new Hub({ bpm: 120 });
  hub.setSources([{ id: 'in', portId: 'in', language: 'clock', response }]);
  hub.setLeaders(['in', 'hub']);
  let nowMs = 900;
  return {
    push: (message, atMs) => {
      for (; nowMs < atMs; nowMs += 12) hub.advance(nowMs, 60);
      hub.receive('in', encodeMidi(message), atMs);
    },
    beatAt: (ms) => {
      const [source] = hub.snapshot().sources;
      return source?.state === 'locked' ? hub.gridAt(ms).beat : null;
    },
    gridAt: (ms) => hub.gridAt(ms),
  };
}

test.each(['steady', 'quick'] as const)(
  'a hub that follows such a clock at %s has its grid on the right tick',
  (response) => {
    const verdicts = OF_ONE_CLOCK.slice(0, 80).map((enemy) => verdictOn(enemy, hubLed(response), 2500));
    expect(verdicts.filter((verdict) => judge(verdict) === 'wrong')).toEqual([]);
  },
);

test('while nobody knows which tick it is, the hub’s grid follows the tempo, in phase with the ticks', () => {
  const offs = OF_ONE_CLOCK.flatMap((one) => {
    // A later, smaller step: without steering, the grid would keep the tempo before it.
    const enemy = { ...one, troubles: [...one.troubles, { atTick: 300, kind: 'step' as const, by: 1.023 }] };
    const hub = hubLed('steady');
    const { arrivals, sentMs } = playAdversary(enemy);
    let sure = true;
    for (const { message, atMs } of arrivals) {
      hub.push(message, atMs);
      sure = hub.beatAt(atMs) !== null;
    }
    const [lastMs, beforeMs] = [...sentMs.values()].sort((a, b) => b - a) as [number, number];
    const { beat, bpm, state } = hub.gridAt(lastMs);
    const ticks = beat * 24;
    const tempo = bpm / (2500 / (lastMs - beforeMs)) - 1;
    // Where it was never known, the hub hasn't joined.
    return sure || state === 'stopped' ? [] : [{ phase: Math.abs(ticks - Math.round(ticks)), tempo: Math.abs(tempo) }];
  });
  expect(offs.length).toBeGreaterThan(3);
  expect(Math.max(...offs.map(({ phase }) => phase))).toBeLessThan(0.3);
  expect(Math.max(...offs.map(({ tempo }) => tempo))).toBeLessThan(0.006);
});

/** Times are anything: equal, going back, years apart. */
test('whatever the time stamps are, tempo and position are finite', () => {
  const { uniform } = seededRandom(99);
  for (let round = 0; round < 60; round++) {
    const one = followerAlone(round % 2 ? 'steady' : 'quick');
    let atMs = 1000;
    for (let tick = 0; tick < 120; tick++) {
      const kind = uniform();
      atMs += kind < 0.3 ? 20 : kind < 0.6 ? 0 : kind < 0.8 ? -50 * uniform() : 10 ** (12 * uniform() - 3);
      if (uniform() < 0.02) one.push({ kind: 'start' }, atMs);
      one.push({ kind: 'clock' }, atMs);
      one.beatAt(atMs);
    }
  }
});

/** A follower at the other end of a network that jitters and loses packets. */
function overNetwork(seed: number): Followed {
  const room = new TwoEnds({ delayMs: 4, jitterMs: 2, loss: 0.03 }, seed);
  room.connect();
  const [session] = room.a.sessions(room.nowMs);
  const [theirs] = room.b.sessions(room.clockB());
  room.b.setBuffer(theirs!.id, 30);
  const shiftMs = room.nowMs;
  const one = new ClockFollower();
  const parser = new MidiParser();
  return {
    push: (message, atMs) => {
      room.run(Math.max(0, Math.ceil(atMs + shiftMs - room.nowMs)));
      room.a.send(session!.id, [{ atMs: atMs + shiftMs, bytes: encodeMidi(message) }]);
      for (const heard of room.heardByB.splice(0))
        for (const { message: out, atMs: playedMs } of parser.push(heard.bytes, heard.atMs))
          one.push(out, room.clockA(playedMs) - shiftMs - 30);
    },
    beatAt: (ms) => {
      const { beat, state } = one.at(ms);
      return state === 'locked' ? beat : null;
    },
  };
}

test('a follower behind a network session with 3% loss is on the right tick as well', () => {
  const verdicts = OF_ONE_CLOCK.slice(0, 12).map((enemy) => verdictOn(enemy, overNetwork(enemy.seed), 500));
  expect(verdicts.filter((verdict) => judge(verdict) === 'wrong')).toEqual([]);
});
