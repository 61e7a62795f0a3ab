import { ClockFollower, MidiParser } from '@metronomo/core';
import { Playback } from './playback';

const clock = Uint8Array.of(0xf8);
const ticks = Array.from({ length: 96 }, (_, i) => ({ atMs: (i * 60_000) / (120 * 24), bytes: clock }));

test('each message comes once, when due, however rarely it is polled', () => {
  const playback = new Playback('port', ticks, 1000);
  expect(playback.due(999)).toEqual([]);
  const seen = [1000, 1010, 1500, 1501, 9000].flatMap((nowMs) => playback.due(nowMs));
  expect(seen.map(({ atMs }) => atMs)).toEqual(ticks.map(({ atMs }) => 1000 + atMs));
  expect([playback.left, playback.due(10_000)]).toEqual([0, []]);
});

test('a follower reads the captured tempo', () => {
  const playback = new Playback('port', ticks, 1000);
  const follower = new ClockFollower();
  const parser = new MidiParser();
  for (let nowMs = 1000; nowMs < 3100; nowMs += 10)
    for (const { bytes, atMs } of playback.due(nowMs))
      for (const { message, atMs: at } of parser.push(bytes, atMs)) follower.push(message, at);
  expect(follower.at(3000).bpm).toBeCloseTo(120, 3);
});
