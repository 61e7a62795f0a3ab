import Papa from 'papaparse';
import type { StemReading } from '../measure/protocol';

/** A dropped stem with its measurement. Times in ms. */
export interface Stem {
  id: string;
  name: string;
  /** The click channel; null if the latency is entered by hand. */
  clickChannel: number | null;
  knownLateMs: number;
  reading: StemReading;
}

export interface StemOptions {
  /** Sub-sample shifts instead of whole samples. */
  fractions: boolean;
  /** Line up all first clicks with the latest of them. */
  together: boolean;
}

/** Shift of each channel of each stem in samples, by id; minus is earlier. Null while the latency is unknown. */
export function stemMoves(stems: readonly Stem[], { fractions, together }: StemOptions): Map<string, number[] | null> {
  const firstClicks = stems.flatMap(({ reading: { firstClickMs } }) => firstClickMs ?? []);
  const meetMs = Math.max(...firstClicks);
  return new Map(
    stems.map(({ id, clickChannel, knownLateMs, reading }) => {
      const lateMs = clickChannel === null ? knownLateMs : reading.lateMs;
      if (lateMs === null) return [id, null];
      const allMs = together && reading.firstClickMs !== null ? meetMs - reading.firstClickMs : 0;
      const samplesOf = (ms: number) => {
        const samples = (ms / 1000) * reading.sampleRate;
        return fractions ? samples : Math.round(samples) + 0;
      };
      return [id, reading.peaks.map((_, channel) => samplesOf(channel === clickChannel ? allMs : allMs - lateMs))];
    }),
  );
}

/** File name of each aligned stem: never the original's, and never another's. */
export function writtenNames(stems: readonly Pick<Stem, 'name'>[]): string[] {
  const taken = new Set<string>();
  return stems.map(({ name }) => {
    const bare = `${name.replace(/\.wav$/i, '').slice(0, 100)} aligned`;
    let free = bare;
    for (let n = 2; taken.has(free); n++) free = `${bare} ${n}`;
    taken.add(free);
    return `${free}.wav`;
  });
}

/** The list of shifts as CSV (RFC 4180); cells a spreadsheet could read as formulas are escaped. */
export function moveList(stems: readonly Stem[], moves: ReadonlyMap<string, number[] | null>): string {
  const names = writtenNames(stems);
  const rows = stems.flatMap(({ id, name, clickChannel, knownLateMs, reading }, i) => {
    const samples = moves.get(id);
    if (!samples) return [];
    return samples.map((by, channel) => ({
      file: name,
      written: names[i],
      channel: channel + 1,
      carries: channel === clickChannel ? 'click' : 'gear',
      late_ms: (clickChannel === null ? knownLateMs : (reading.lateMs ?? 0)).toFixed(3),
      moved_samples: Number(by.toFixed(3)),
      moved_ms: ((by / reading.sampleRate) * 1000).toFixed(3),
      sample_rate: reading.sampleRate,
    }));
  });
  return Papa.unparse(rows, { escapeFormulae: true });
}
