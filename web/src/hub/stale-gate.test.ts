import { StaleGate } from './stale-gate';

const BEAT_MS = 500;
const [TICK, START, STOP] = [0xf8, 0xfa, 0xfc].map((byte) => Uint8Array.of(byte)) as [
  Uint8Array,
  Uint8Array,
  Uint8Array,
];
const NOTE_OFF = Uint8Array.of(0x80, 60, 64);
const SILENT_NOTE_ON = Uint8Array.of(0x92, 60, 0);
const NOTE_ON = Uint8Array.of(0x92, 60, 1);

test('what is older than a beat isn’t sent, except what ends something', () => {
  const gate = new StaleGate();
  const sent = (bytes: Uint8Array, lateMs: number) => gate.admits('a', bytes, 10_000 - lateMs, 10_000, BEAT_MS);
  expect([TICK, START, NOTE_ON].map((bytes) => sent(bytes, 501))).toEqual([false, false, false]);
  expect([STOP, NOTE_OFF, SILENT_NOTE_ON].map((bytes) => sent(bytes, 20_000))).toEqual([true, true, true]);
  expect([sent(TICK, 499), sent(TICK, -60)]).toEqual([true, true]);
});

test('a gap is over once its port is current, and is reported once, with its beginning', () => {
  const gate = new StaleGate();
  for (let atMs = 0; atMs < 20_000; atMs += 20) gate.admits('a', TICK, atMs, 20_000, BEAT_MS);
  expect(gate.takeEnded()).toEqual([{ portId: 'a', sinceMs: 0 }]);
  expect(gate.takeEnded()).toEqual([]);
  gate.admits('a', TICK, 20_000, 21_000, BEAT_MS);
  expect(gate.takeEnded()).toEqual([]);
  gate.admits('b', TICK, 21_000, 21_000, BEAT_MS);
  expect(gate.takeEnded()).toEqual([]);
  gate.admits('a', TICK, 21_000, 21_000, BEAT_MS);
  expect(gate.takeEnded()).toEqual([{ portId: 'a', sinceMs: 20_000 }]);
});
