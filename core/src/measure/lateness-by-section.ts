import { medianInterval } from '../maths/median-interval';
import type { Landing } from './match-onsets';

const { ceil, max, min } = Math;

/** How late the beats of one section were. */
export interface SectionLateness {
  name: string;
  beats: number;
  heard: number;
  /** Median and its 95% interval, ms late; null if fewer than four beats were heard, or too many missed. */
  medianMs: number | null;
  ci95Ms: [number, number] | null;
}

const FEWEST = 4;
/** Of its beats; with more missed, those heard may be other hits. */
const SHARE_HEARD = 0.6;

/**
 * Lateness by section, in the song's order: each begins with beat `fromPulse` of the recording, which need not be whole.
 * `pulses` is the number of beats on the recording.
 */
export function latenessBySection(
  landings: readonly Landing[],
  sections: readonly { name: string; fromPulse: number }[],
  pulses: number,
): SectionLateness[] {
  return sections.map(({ name, fromPulse }, i) => {
    const from = max(0, fromPulse);
    const until = min(pulses, sections[i + 1]?.fromPulse ?? pulses);
    const late = landings.flatMap(({ pulse, lateMs }) => (pulse >= from && pulse < until ? [lateMs] : []));
    const beats = max(0, ceil(until) - ceil(from));
    if (late.length < max(FEWEST, SHARE_HEARD * beats))
      return { name, beats, heard: late.length, medianMs: null, ci95Ms: null };
    const { median, ci95 } = medianInterval(Float64Array.from(late).sort());
    return { name, beats, heard: late.length, medianMs: median, ci95Ms: ci95 };
  });
}
