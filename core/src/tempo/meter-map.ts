import { bisector } from 'd3-array';

/** From this bar on (counted from 1) a bar has so many beats of such a note: 7/8 is 7 eighths. */
export interface MeterPoint {
  bar: number;
  beatsPerBar: number;
  /** The note that is a beat: 1, 2, 4, 8, 16 or 32. */
  beatUnit: number;
}

/** As musicians count: bars and beats from 1, ticks from 0. */
export interface BarPosition {
  bar: number;
  beat: number;
  /** Parts of a quarter note, which may have a fraction. */
  ticks: number;
}

export const COMMON_TIME: MeterPoint = { bar: 1, beatsPerBar: 4, beatUnit: 4 };
/** Ticks of a quarter note in positions; divisible by triplets and by the 24 of MIDI clock. */
export const POSITION_TICKS = 960;
const MOST_BEATS_PER_BAR = 64;
/** A position that was computed may lie a rounding error before the beat that it means. */
const ROUNDING_BEATS = 1e-9;

interface Stretch {
  readonly point: MeterPoint;
  /** Quarter notes from the start of the song. */
  readonly fromBeat: number;
  /** Quarter notes of one of its beats, and of one of its bars. */
  readonly beatLength: number;
  readonly barLength: number;
}

const byBeat = bisector((stretch: Stretch) => stretch.fromBeat);
const byBar = bisector((stretch: Stretch) => stretch.point.bar);

/** Bars, beats and ticks against quarter notes, through changes of time signature. Bar 1 begins at 0; before it bars count 0, -1 ... */
export class MeterMap {
  readonly points: readonly MeterPoint[];
  readonly #stretches: Stretch[];

  /** @throws RangeError on a signature that cannot be, or when the bars do not rise from 1. */
  constructor(points: readonly MeterPoint[] = [COMMON_TIME]) {
    this.points = points;
    this.#stretches = stretchesOf(points);
  }

  /** Where a place, in quarter notes, lies as musicians count it. */
  positionAt(beat: number): BarPosition {
    const { point, fromBeat, beatLength, barLength } = this.#around(beat);
    const into = beat - fromBeat + ROUNDING_BEATS;
    const bars = Math.floor(into / barLength);
    const beats = Math.floor((into - bars * barLength) / beatLength);
    const ticks = Math.max(0, beat - fromBeat - bars * barLength - beats * beatLength) * POSITION_TICKS;
    return { bar: point.bar + bars, beat: beats + 1, ticks };
  }

  /** The place, in quarter notes, of a position. */
  beatAt({ bar, beat, ticks }: BarPosition): number {
    const { point, fromBeat, beatLength, barLength } = this.#stretch(byBar.right(this.#stretches, bar));
    return fromBeat + (bar - point.bar) * barLength + (beat - 1) * beatLength + ticks / POSITION_TICKS;
  }

  /** The first beginning of a bar at or after a place, both in quarter notes. */
  nextBar(beat: number): number {
    const { bar, beat: inBar, ticks } = this.positionAt(beat);
    const begins = inBar === 1 && ticks < 2 * ROUNDING_BEATS * POSITION_TICKS;
    return this.beatAt({ bar: begins ? bar : bar + 1, beat: 1, ticks: 0 });
  }

  /** The signature that holds at a place. */
  meterAt(beat: number): MeterPoint {
    return this.#around(beat).point;
  }

  /** Whether a bar begins at a place, or a beat, or neither. */
  accentAt(beat: number): 'bar' | 'beat' | null {
    const position = this.positionAt(beat);
    if (position.ticks > 2 * ROUNDING_BEATS * POSITION_TICKS) return null;
    return position.beat === 1 ? 'bar' : 'beat';
  }

  #around(beat: number): Stretch {
    return this.#stretch(byBeat.right(this.#stretches, beat + ROUNDING_BEATS));
  }

  #stretch(insertion: number): Stretch {
    // The first stretch reaches back for ever.
    return this.#stretches[Math.max(0, insertion - 1)] as Stretch;
  }
}

/** `3|2|480`: bar 3, beat 2, half a quarter note into it; ticks are whole. */
export function formatPosition({ bar, beat, ticks }: BarPosition): string {
  return `${bar}|${beat}|${String(Math.floor(ticks)).padStart(3, '0')}`;
}

/**
 * Reads `3`, `3|2` or `3|2|480`; points and colons do as well as bars.
 * @throws RangeError when the text is no position.
 */
export function parsePosition(text: string): BarPosition {
  const match = /^\s*(-?\d{1,6})(?:[|.:](\d{1,2}))?(?:[|.:](\d{1,4}))?\s*$/.exec(text);
  const [bar = NaN, beat = 1, ticks = 0] = (match?.slice(1) ?? []).map((part) => (part ? Number(part) : undefined));
  if (!match || beat < 1) throw new RangeError(`"${text.slice(0, 20)}" is no position: write it as 3|2|480.`);
  return { bar, beat, ticks };
}

function stretchesOf(points: readonly MeterPoint[]): Stretch[] {
  if (points[0]?.bar !== 1) throw new RangeError('The first time signature stands at bar 1.');
  const stretches: Stretch[] = [];
  points.forEach((point, index) => {
    const { bar, beatsPerBar, beatUnit } = point;
    const fits = Number.isInteger(beatsPerBar) && beatsPerBar > 0 && beatsPerBar <= MOST_BEATS_PER_BAR;
    if (!fits || ![1, 2, 4, 8, 16, 32].includes(beatUnit))
      throw new RangeError(`Time signature ${index + 1}: ${beatsPerBar}/${beatUnit} cannot be.`);
    const before = stretches.at(-1);
    if (before && !(Number.isInteger(bar) && bar > before.point.bar))
      throw new RangeError(`Time signature ${index + 1}: bars must rise from one to the next.`);
    const fromBeat = before ? before.fromBeat + (bar - before.point.bar) * before.barLength : 0;
    const beatLength = 4 / beatUnit;
    stretches.push({ point, fromBeat, beatLength, barLength: beatsPerBar * beatLength });
  });
  return stretches;
}
