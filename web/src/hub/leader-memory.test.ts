import { Hub } from '@metronomo/core';
import { LeaderMemory } from './leader-memory';

const BPM = 97;
const tickMs = 60_000 / BPM / 24;
const clock = Uint8Array.of(0xf8);

/** A hub that follows a clock; ticks from one moment to another, as `before` has them received. */
function follow(hub: Hub, fromMs: number, toMs: number, memory?: LeaderMemory): void {
  let nextTick = Math.ceil((fromMs - 1000) / tickMs);
  for (let nowMs = fromMs; nowMs < toMs; nowMs += 10) {
    for (; 1000 + nextTick * tickMs <= nowMs; nextTick++) {
      const atMs = 1000 + nextTick * tickMs;
      for (const bytes of memory?.before('in', clock, atMs) ?? []) hub.receive('in', bytes, atMs);
      if (nextTick === 0) hub.receive('in', Uint8Array.of(0xfa), atMs);
      if (nextTick >= 0) hub.receive('in', clock, atMs);
    }
    hub.advance(nowMs, 60);
  }
}
function hubFollowing(): Hub {
  const hub = new Hub({ bpm: 120 });
  hub.setSources([{ id: 'box', portId: 'in', language: 'clock' }]);
  hub.setLeaders(['box', 'hub']);
  return hub;
}

test('a hub that goes on for one that a clock led is where that one would be, though the clock says no start', () => {
  const lost = hubFollowing();
  follow(lost, 0, 6000);
  const { beat, bpm, leader, songMs, willRoll } = lost.snapshot();
  expect([willRoll, leader]).toEqual([true, 'box']);
  const atMs = 5990;
  const hub = hubFollowing();
  hub.advance(6500, 60);
  hub.command({ kind: 'resume', rolled: { beat, songMs, atMs, bpm, leader } });
  follow(hub, 6510, 10_000, new LeaderMemory({ portId: 'in', beat, atMs, bpm }));
  follow(lost, 6000, 10_000);
  expect(hub.snapshot()).toMatchObject({ state: 'rolling', leader: 'box' });
  // Tick 0 was due at 1000 ms.
  expect(hub.beatAt(9500)).toBeCloseTo(8500 / tickMs / 24, 2);
  expect(hub.beatAt(9500)).toBeCloseTo(lost.beatAt(9500), 2);
});

test('a clock that stops or starts by itself needs no help, and others get none', () => {
  const memory = () => new LeaderMemory({ portId: 'in', beat: 4, atMs: 0, bpm: 120 });
  expect(memory().before('other', clock, 0)).toEqual([]);
  const said = memory();
  expect(said.before('in', Uint8Array.of(0xfc), 0)).toEqual([]);
  expect(said.before('in', clock, 0)).toEqual([]);
  expect(
    memory()
      .before('in', clock, 0)
      .map((bytes) => [...bytes]),
  ).toEqual([[0xf2, 16, 0], [0xfb]]);
  // At 120 BPM a tick lasts 20.8 ms: the next sixteenth is six ticks on.
  expect(memory().before('in', clock, 21)).toEqual([]);
});
