import { MeterMap, type MeterPoint } from './meter-map';
import type { TempoPoint } from './tempo-map';

/** A named section of a song with its tempo and time signature. */
export interface Section {
  name: string;
  bars: number;
  bpm: number;
  /** Tempo at the end of the section, reached linearly over its beats; null for a constant tempo. */
  toBpm: number | null;
  beatsPerBar: number;
  beatUnit: number;
}

/** A song's tempo and meter maps, and where its sections begin. */
export interface SongMaps {
  tempo: TempoPoint[];
  meter: MeterPoint[];
  /** Start of each section in quarter notes. */
  beginsAt: number[];
  lengthBeats: number;
}

/** Where a ramp ends and another tempo starts, both points share a beat; the ramp's end is moved this much earlier. */
const HAIR_BEATS = 1e-6;

/**
 * The maps of a song. The last section's tempo continues after it.
 * @throws RangeError if there is no section, or one is invalid.
 */
export function songMaps(sections: readonly Section[]): SongMaps {
  const [first] = sections;
  if (!first) throw new RangeError('A song needs at least one section.');
  sections.forEach(({ name, bars }, i) => {
    if (!(Number.isInteger(bars) && bars >= 1 && bars <= 9999))
      throw new RangeError(`Section ${i + 1} (${name}) must have 1 to 9999 bars, not ${bars}.`);
  });
  const meter = meterOf(sections);
  const bars = new MeterMap(meter);
  const tempo: TempoPoint[] = [];
  const beginsAt: number[] = [];
  let bar = 1;
  for (const [i, { bpm, toBpm, bars: length }] of sections.entries()) {
    const from = bars.beatAt({ bar, beat: 1, ticks: 0 });
    bar += length;
    const to = bars.beatAt({ bar, beat: 1, ticks: 0 });
    beginsAt.push(from);
    const ramps = toBpm !== null && toBpm !== bpm;
    tempo.push(ramps ? { beat: from, bpm, curve: 'linear' } : { beat: from, bpm });
    if (ramps) tempo.push({ beat: i === sections.length - 1 ? to : to - HAIR_BEATS, bpm: toBpm });
  }
  return { tempo, meter, beginsAt, lengthBeats: bars.beatAt({ bar, beat: 1, ticks: 0 }) };
}

function meterOf(sections: readonly Section[]): MeterPoint[] {
  let bar = 1;
  return sections.flatMap(({ bars, beatsPerBar, beatUnit }, i) => {
    const at = bar;
    bar += bars;
    const before = sections[i - 1];
    const same = before?.beatsPerBar === beatsPerBar && before.beatUnit === beatUnit;
    return same ? [] : [{ bar: at, beatsPerBar, beatUnit }];
  });
}
