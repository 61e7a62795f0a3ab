import { bisector } from 'd3-array';

/** From this bar on (counted from 1), a bar has this many beats of this note: 7/8 is 7 eighths. */
export interface MeterPoint {
  bar: number;
  beatsPerBar: number;
  /** The note value of a beat: 1, 2, 4, 8, 16 or 32. */
  beatUnit: number;
}

/** As musicians count: bars and beats from 1, ticks from 0. */
export interface BarPosition {
  bar: number;
  beat: number;
  /** Fractions of a quarter note; may be fractional. */
  ticks: number;
}

export const COMMON_TIME: MeterPoint = { bar: 1, beatsPerBar: 4, beatUnit: 4 };
/** Ticks per quarter note in positions; divisible by triplets and by MIDI clock's 24. */
export const POSITION_TICKS = 960;
const MAX_BEATS_PER_BAR = 64;
/** A computed position may fall a rounding error before the intended beat. */
const ROUNDING_BEATS = 1e-9;

interface Stretch {
  readonly point: MeterPoint;
  /** Quarter notes from the start of the song. */
  readonly fromBeat: number;
  /** Length of a beat and of a bar, in quarter notes. */
  readonly beatLength: number;
  readonly barLength: number;
}

const byBeat = bisector((stretch: Stretch) => stretch.fromBeat);
const byBar = bisector((stretch: Stretch) => stretch.point.bar);

/**
 * Converts between bars, beats and ticks and quarter notes, across time signature changes. Bar 1 starts at 0; before
 * it, bars count 0, -1 ...
 */
export class MeterMap {
  readonly points: readonly MeterPoint[];
  readonly #stretches: Stretch[];

  /** @throws RangeError on an invalid time signature, or if bars don't ascend from 1. */
  constructor(points: readonly MeterPoint[] = [COMMON_TIME]) {
    this.points = points;
    this.#stretches = stretchesOf(points);
  }

  /** The position at a number of quarter notes. */
  positionAt(beat: number): BarPosition {
    const { point, fromBeat, beatLength, barLength } = this.#around(beat);
    const into = beat - fromBeat + ROUNDING_BEATS;
    const bars = Math.floor(into / barLength);
    const beats = Math.floor((into - bars * barLength) / beatLength);
    const ticks = Math.max(0, beat - fromBeat - bars * barLength - beats * beatLength) * POSITION_TICKS;
    return { bar: point.bar + bars, beat: beats + 1, ticks };
  }

  /** The quarter notes at a position. */
  beatAt({ bar, beat, ticks }: BarPosition): number {
    const { point, fromBeat, beatLength, barLength } = this.#stretch(byBar.right(this.#stretches, bar));
    return fromBeat + (bar - point.bar) * barLength + (beat - 1) * beatLength + ticks / POSITION_TICKS;
  }

  /** The first bar line at or after a point, both in quarter notes. */
  nextBar(beat: number): number {
    const { bar, beat: inBar, ticks } = this.positionAt(beat);
    const begins = inBar === 1 && ticks < 2 * ROUNDING_BEATS * POSITION_TICKS;
    return this.beatAt({ bar: begins ? bar : bar + 1, beat: 1, ticks: 0 });
  }

  /** The time signature at a point. */
  meterAt(beat: number): MeterPoint {
    return this.#around(beat).point;
  }

  /** Whether a bar or a beat starts at a point, or neither. */
  accentAt(beat: number): 'bar' | 'beat' | null {
    const position = this.positionAt(beat);
    if (position.ticks > 2 * ROUNDING_BEATS * POSITION_TICKS) return null;
    return position.beat === 1 ? 'bar' : 'beat';
  }

  #around(beat: number): Stretch {
    return this.#stretch(byBeat.right(this.#stretches, beat + ROUNDING_BEATS));
  }

  #stretch(insertion: number): Stretch {
    // The first stretch extends backwards without limit.
    return this.#stretches[Math.max(0, insertion - 1)] as Stretch;
  }
}

/** `3|2|480`: bar 3, beat 2, half a quarter note in; whole ticks. */
export function formatPosition({ bar, beat, ticks }: BarPosition): string {
  return `${bar}|${beat}|${String(Math.floor(ticks)).padStart(3, '0')}`;
}

/**
 * Reads `3`, `3.2` or `3.2.12`; also accepts `|` and `:` as separators.
 * @throws RangeError if the text isn't a position.
 */
export function parsePosition(text: string): BarPosition {
  const match = /^\s*(-?\d{1,6})(?:[|.:](\d{1,2}))?(?:[|.:](\d{1,4}))?\s*$/.exec(text);
  const [bar = NaN, beat = 1, ticks = 0] = (match?.slice(1) ?? []).map((part) => (part ? Number(part) : undefined));
  if (!match || beat < 1)
    throw new RangeError(`"${text.slice(0, 20)}" isn’t a position. Use bar.beat.tick, for example 3.2.12.`);
  return { bar, beat, ticks };
}

function stretchesOf(points: readonly MeterPoint[]): Stretch[] {
  if (points[0]?.bar !== 1) throw new RangeError('The first time signature must be at bar 1.');
  const stretches: Stretch[] = [];
  points.forEach((point, index) => {
    const { bar, beatsPerBar, beatUnit } = point;
    const fits = Number.isInteger(beatsPerBar) && beatsPerBar > 0 && beatsPerBar <= MAX_BEATS_PER_BAR;
    if (!fits || ![1, 2, 4, 8, 16, 32].includes(beatUnit))
      throw new RangeError(`Time signature ${index + 1}: ${beatsPerBar}/${beatUnit} isn’t valid.`);
    const before = stretches.at(-1);
    if (before && !(Number.isInteger(bar) && bar > before.point.bar))
      throw new RangeError(`Time signature ${index + 1}: bars must be in ascending order.`);
    const fromBeat = before ? before.fromBeat + (bar - before.point.bar) * before.barLength : 0;
    const beatLength = 4 / beatUnit;
    stretches.push({ point, fromBeat, beatLength, barLength: beatsPerBar * beatLength });
  });
  return stretches;
}
