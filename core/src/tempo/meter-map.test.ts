import fc from 'fast-check';
import { formatPosition, MeterMap, parsePosition } from './meter-map';

test('in 4/4 a bar has four quarters; bars and beats count from 1', () => {
  const meter = new MeterMap();
  expect(formatPosition(meter.positionAt(0))).toBe('1|1|000');
  expect(formatPosition(meter.positionAt(9.5))).toBe('3|2|480');
  expect(formatPosition(meter.positionAt(-1))).toBe('0|4|000');
  expect(meter.nextBar(8)).toBe(8);
  expect(meter.nextBar(8.01)).toBe(12);
});

test('7/8 bars are three and a half quarters, and counting continues across a change', () => {
  const meter = new MeterMap([
    { bar: 1, beatsPerBar: 4, beatUnit: 4 },
    { bar: 3, beatsPerBar: 7, beatUnit: 8 },
    { bar: 5, beatsPerBar: 3, beatUnit: 4 },
  ]);
  expect(formatPosition(meter.positionAt(8 + 3))).toBe('3|7|000');
  expect(formatPosition(meter.positionAt(8 + 7))).toBe('5|1|000');
  expect(formatPosition(meter.positionAt(8 + 7 + 4))).toBe('6|2|000');
  expect([8, 8.5, 8.6, 11.5].map((beat) => meter.accentAt(beat))).toEqual(['bar', 'beat', null, 'bar']);
  expect(meter.meterAt(14.9).beatUnit).toBe(8);
});

test('any position survives a round trip', () => {
  const meter = new MeterMap([
    { bar: 1, beatsPerBar: 5, beatUnit: 8 },
    { bar: 4, beatsPerBar: 3, beatUnit: 2 },
    { bar: 9, beatsPerBar: 13, beatUnit: 16 },
  ]);
  fc.assert(
    fc.property(fc.double({ min: -20, max: 200, noNaN: true }), (beat) => {
      expect(meter.beatAt(meter.positionAt(beat))).toBeCloseTo(beat, 8);
      const next = meter.nextBar(beat);
      expect(next).toBeGreaterThanOrEqual(beat - 1e-8);
      expect(meter.accentAt(next)).toBe('bar');
    }),
  );
});

test('positions are parsed as written, and nonsense is rejected', () => {
  expect(parsePosition('3|2|480')).toEqual({ bar: 3, beat: 2, ticks: 480 });
  expect(parsePosition(' 17 ')).toEqual({ bar: 17, beat: 1, ticks: 0 });
  expect(parsePosition('4.3')).toEqual({ bar: 4, beat: 3, ticks: 0 });
  for (const text of ['', 'x', '3|0', '1|2|3|4']) expect(() => parsePosition(text)).toThrow('isn’t a position');
  expect(() => new MeterMap([{ bar: 1, beatsPerBar: 4, beatUnit: 3 }])).toThrow('4/3 isn’t valid');
  expect(() => new MeterMap([{ bar: 2, beatsPerBar: 4, beatUnit: 4 }])).toThrow('at bar 1');
});
