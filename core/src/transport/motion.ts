import type { TempoMap } from '../tempo/tempo-map';

/**
 * How the grid rolls from one moment on: it stands at a beat then, and goes through the tempo map at a speed. The time of
 * the song, which timecode counts, goes at the same speed but does not depend on the map: a tempo set by hand moves the
 * beats and lets the code run on.
 */
export interface Motion {
  readonly map: TempoMap;
  /** 1 is as the map says; following somebody else, or leaning on the platter, makes it more or less. */
  readonly speed: number;
  readonly fromMs: number;
  /** Quarter notes from the start of the song, and ms of song time, at `fromMs`. */
  readonly beat: number;
  readonly songMs: number;
}

/** The beat at a time, in ms of the grid. */
export function beatAt(motion: Motion, ms: number): number {
  const { map, beat, fromMs, speed } = motion;
  return map.beatAt(map.msAt(beat) + (ms - fromMs) * speed);
}

export function songMsAt({ songMs, fromMs, speed }: Motion, ms: number): number {
  return songMs + (ms - fromMs) * speed;
}

/** The time of a beat, in ms of the grid. */
export function msOfBeat({ map, beat, fromMs, speed }: Motion, wanted: number): number {
  return fromMs + (map.msAt(wanted) - map.msAt(beat)) / speed;
}

export function msOfSong({ songMs, fromMs, speed }: Motion, wanted: number): number {
  return fromMs + (wanted - songMs) / speed;
}

/** The tempo at a beat, in BPM. */
export function bpmAt({ map, speed }: Motion, beat: number): number {
  return map.bpmAt(beat) * speed;
}

/** The same motion told from a later moment on, with what is to change there. */
export function from(motion: Motion, ms: number, change: Partial<Omit<Motion, 'fromMs'>> = {}): Motion {
  const { map, speed } = motion;
  return { map, speed, beat: beatAt(motion, ms), songMs: songMsAt(motion, ms), ...change, fromMs: ms };
}
