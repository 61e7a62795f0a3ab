import { gear } from '../store/gear';
import type { Gear, Take } from '../store/records';
import { wrongSign } from './wrong-sign';

const box = (own: number, place: Partial<Gear['offset']> = {}): Gear => {
  const one = gear({ id: 'a', name: 'A', portId: 'midi:1' });
  return { ...one, offset: { ...one.offset, where: 'own', unit: 'ms', plusIs: 'later', own, ...place } };
};
const take = (medianMs: number, ownOffset: number, { offsetMs = 0, believable = true, bpm = 120 } = {}) =>
  ({
    source: 'live',
    bpm,
    inputSource: 'audio:1',
    lines: [{ gearId: 'a', wiredTo: 'midi:1', ownOffset, offsetMs, report: { medianMs, believable } }],
  }) as unknown as Take;

test('entered with the wrong sign: 12.3 ms late becomes 24.6 ms late', () => {
  const takes = [take(24.6, -12.3), take(12.3, 0)];
  const found = wrongSign(takes, box(-12.3))!;
  expect(found.lateMs).toBe(24.6);
  expect(found.movedMs).toBeCloseTo(12.3, 9);
  expect(found.expectedMs).toBeCloseTo(-12.3, 9);
});

test('one that moved as promised, hardly moved, or by another amount isn’t wrong', () => {
  for (const landsMs of [0, 0.4, 12.3, 30, 18])
    expect(wrongSign([take(landsMs, -12.3), take(12.3, 0)], box(-12.3))).toBeNull();
  expect(wrongSign([take(13.5, -1.2), take(12.3, 0)], box(-1.2))).toBeNull();
});

test('nothing is said before it is measured, of unreliable takes, or without a take from before', () => {
  expect(wrongSign([take(12.3, 0)], box(-12.3))).toBeNull();
  expect(wrongSign([take(24.6, -12.3, { believable: false }), take(12.3, 0)], box(-12.3))).toBeNull();
  expect(wrongSign([take(24.6, -12.3)], box(-12.3))).toBeNull();
});

test('the hub’s offset, samples, ticks, and + for earlier are reckoned in', () => {
  // The hub sent it 5 ms earlier before.
  expect(wrongSign([take(24.6, -12.3), take(7.3, 0, { offsetMs: -5 })], box(-12.3))).not.toBeNull();
  const samples = { unit: 'samples', sampleRate: 48_000, plusIs: 'earlier' } as const;
  expect(wrongSign([take(22.3, 480), take(12.3, 0)], box(480, samples))).not.toBeNull();
  // At 125 BPM a tick is 20 ms.
  const ticks = { unit: 'ticks' } as const;
  expect(wrongSign([take(32.3, -1, { bpm: 125 }), take(12.3, 0)], box(-1, ticks))).not.toBeNull();
  expect(wrongSign([take(-7.7, -1, { bpm: 125 }), take(12.3, 0)], box(-1, ticks))).toBeNull();
});
