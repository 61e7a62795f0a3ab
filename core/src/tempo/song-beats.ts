import { MeterMap } from './meter-map';
import { songMaps, type Section } from './song';
import { TempoMap } from './tempo-map';

/** Where a section starts among the beats of a recording. */
export interface SectionStart {
  readonly name: string;
  /** Index of its first beat on the recording; negative if that is before the recording. */
  readonly fromPulse: number;
}

/**
 * Where each quarter note of a tempo map falls on a recording, in ms from its first sample: `fromBeat` at
 * `firstBeatMs`, up to the end of the recording or of the song (`untilBeat`).
 */
export function beatTimes(
  map: TempoMap,
  {
    firstBeatMs,
    lengthMs,
    fromBeat = 0,
    untilBeat = Infinity,
  }: {
    firstBeatMs: number;
    lengthMs: number;
    fromBeat?: number;
    untilBeat?: number;
  },
): number[] {
  const zeroMs = firstBeatMs - map.msAt(fromBeat);
  const times: number[] = [];
  for (let beat = fromBeat; beat < untilBeat && zeroMs + map.msAt(beat) < lengthMs; beat++)
    times.push(zeroMs + map.msAt(beat));
  return times;
}

/**
 * The beats of a song on a recording, on which bar `firstBar` (from 1) begins at `firstBeatMs`, and its sections.
 * @throws RangeError if the song has no sections or ends before that bar.
 */
export function songBeats(
  sections: readonly Section[],
  { firstBar, firstBeatMs, lengthMs }: { firstBar: number; firstBeatMs: number; lengthMs: number },
): { beatsMs: number[]; sections: SectionStart[] } {
  if (sections.length === 0)
    throw new RangeError('The song has no sections. Add sections in Run, or use a fixed tempo.');
  const { tempo, meter, beginsAt, lengthBeats } = songMaps(sections);
  const fromBeat = new MeterMap(meter).beatAt({ bar: firstBar, beat: 1, ticks: 0 });
  if (!(fromBeat >= 0 && fromBeat < lengthBeats))
    throw new RangeError(`The song ends before bar ${firstBar}. Choose the bar that the recording starts with.`);
  const beatsMs = beatTimes(new TempoMap(tempo), { firstBeatMs, lengthMs, fromBeat, untilBeat: lengthBeats });
  return {
    beatsMs,
    sections: sections.flatMap(({ name }, i) => {
      const fromPulse = (beginsAt[i] as number) - fromBeat;
      const endsAt = (beginsAt[i + 1] ?? lengthBeats) - fromBeat;
      return endsAt > 0 && fromPulse < beatsMs.length ? [{ name, fromPulse }] : [];
    }),
  };
}
