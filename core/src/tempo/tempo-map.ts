import { bisector } from 'd3-array';

const { expm1, log1p } = Math;

/** `linear`: the tempo changes linearly over the beats to the next point. */
export interface TempoPoint {
  beat: number;
  bpm: number;
  curve?: 'step' | 'linear';
}

const MS_PER_MINUTE = 60_000;

interface Segment {
  readonly beat: number;
  readonly ms: number;
  readonly bpm: number;
  /** BPM per beat; 0 is a constant tempo. */
  readonly slope: number;
}

const byBeat = bisector((segment: Segment) => segment.beat);
const byMs = bisector((segment: Segment) => segment.ms);

/**
 * Converts between quarter notes and ms, in closed form. Beat 0 is at 0 ms; before the first point and after the last
 * the tempo is constant, so negative beats (a count-in) have a time too. Over a linear ramp from v0 with slope s, dt =
 * dβ / v(β) integrates to t(β) = (60000 / s) ln(1 + s β / v0).
 */
export class TempoMap {
  readonly points: readonly TempoPoint[];
  readonly #segments: Segment[];

  /** @throws RangeError if there is no point, a tempo isn't above zero, or the beats don't ascend. */
  constructor(points: readonly TempoPoint[]) {
    this.points = points;
    this.#segments = segmentsOf(points);
  }

  msAt(beat: number): number {
    const segment = this.#at(byBeat.right(this.#segments, beat));
    return segment.ms + msInto(segment, beat - segment.beat);
  }

  beatAt(ms: number): number {
    const segment = this.#at(byMs.right(this.#segments, ms));
    return segment.beat + beatsInto(segment, ms - segment.ms);
  }

  bpmAt(beat: number): number {
    const segment = this.#at(byBeat.right(this.#segments, beat));
    return segment.bpm + segment.slope * (beat - segment.beat);
  }

  #at(insertion: number): Segment {
    // The first segment extends backwards without limit, so index 0 always exists.
    return this.#segments[insertion > 0 ? insertion - 1 : 0] as Segment;
  }
}

function segmentsOf(points: readonly TempoPoint[]): Segment[] {
  const first = points[0];
  if (!first) throw new RangeError('A tempo map needs at least one point.');
  points.forEach((point, index) => {
    if (!(point.bpm > 0 && Number.isFinite(point.bpm)))
      throw new RangeError(`Tempo point ${index + 1}: tempo must be above 0 BPM, not ${point.bpm}.`);
    if (!Number.isFinite(point.beat) || point.beat <= (points[index - 1]?.beat ?? -Infinity))
      throw new RangeError(`Tempo point ${index + 1}: beats must be in ascending order.`);
  });

  // The stretch before the first point keeps its tempo; a segment at beat 0 makes beat 0 the origin of time.
  const segments: Segment[] = [{ beat: 0, ms: 0, bpm: first.bpm, slope: 0 }];
  if (first.beat < 0) segments[0] = { beat: first.beat, ms: 0, bpm: first.bpm, slope: 0 };
  points.forEach((point, index) => {
    const last = segments.at(-1) as Segment;
    const next = points[index + 1];
    const slope = point.curve === 'linear' && next ? (next.bpm - point.bpm) / (next.beat - point.beat) : 0;
    const segment = { beat: point.beat, ms: last.ms + msInto(last, point.beat - last.beat), bpm: point.bpm, slope };
    if (segment.beat === last.beat) segments.pop();
    segments.push(segment);
  });
  if (first.beat >= 0) return segments;
  const zeroMs = msAtBeatZero(segments);
  return segments.map((segment) => ({ ...segment, ms: segment.ms - zeroMs }));
}

function msAtBeatZero(segments: Segment[]): number {
  const segment = segments[byBeat.right(segments, 0) - 1] as Segment;
  return segment.ms + msInto(segment, -segment.beat);
}

function msInto(segment: Segment, beats: number): number {
  if (segment.slope === 0 || beats < 0) return (beats * MS_PER_MINUTE) / segment.bpm;
  return (MS_PER_MINUTE / segment.slope) * log1p((segment.slope * beats) / segment.bpm);
}

function beatsInto(segment: Segment, ms: number): number {
  if (segment.slope === 0 || ms < 0) return (ms * segment.bpm) / MS_PER_MINUTE;
  return (segment.bpm / segment.slope) * expm1((segment.slope * ms) / MS_PER_MINUTE);
}
