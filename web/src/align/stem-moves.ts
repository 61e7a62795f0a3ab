import Papa from 'papaparse';
import type { StemReading } from '../measure/protocol';

/** A part that was dropped, with what was found in it. Times in ms. */
export interface Stem {
  id: string;
  name: string;
  /** The channel that carries the click; null where it is known how late it is. */
  clickChannel: number | null;
  knownLateMs: number;
  reading: StemReading;
}

export interface StemOptions {
  /** To fractions of a sample, and not only to whole ones. */
  fractions: boolean;
  /** The first clicks of all come to one place, that of the latest of them. */
  together: boolean;
}

/** By how many samples each channel of each part is moved, by its id; minus is earlier. Null where it is not known how late it is. */
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

/** The name under which each is written: never that of what was read, and never that of another. */
export function writtenNames(stems: readonly Pick<Stem, 'name'>[]): string[] {
  const taken = new Set<string>();
  return stems.map(({ name }) => {
    const bare = `${name.replace(/\.wav$/i, '').slice(0, 100)} in time`;
    let free = bare;
    for (let n = 2; taken.has(free); n++) free = `${bare} ${n}`;
    taken.add(free);
    return `${free}.wav`;
  });
}

/** What was moved by how much, as CSV (RFC 4180); cells that a table would take for formulas are made harmless. */
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
