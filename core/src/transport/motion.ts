import type { TempoMap } from '../tempo/tempo-map';

/**
 * How the grid rolls from a moment on: its beat at that moment, its tempo map and its speed. Song time, which timecode
 * shows, runs at the same speed but independently of the map: a tempo set by hand moves the beats and leaves the code
 * running.
 */
export interface Motion {
  readonly map: TempoMap;
  /** 1 is the map's speed; following a leader, or a nudge, changes it. */
  readonly speed: number;
  readonly fromMs: number;
  /** Quarter notes from the start of the song, and song time in ms, at `fromMs`. */
  readonly beat: number;
  readonly songMs: number;
}

/** The beat at a grid time in ms. */
export function beatAt(motion: Motion, ms: number): number {
  const { map, beat, fromMs, speed } = motion;
  return map.beatAt(map.msAt(beat) + (ms - fromMs) * speed);
}

export function songMsAt({ songMs, fromMs, speed }: Motion, ms: number): number {
  return songMs + (ms - fromMs) * speed;
}

/** The grid time of a beat, in ms. */
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

/**
 * The motion with another map or speed from a moment on. Before `countInTo` the song hasn't begun: its time is counted
 * back from there, so that it begins at the same song time as planned.
 */
export function withTempo(
  motion: Motion,
  ms: number,
  change: Partial<Pick<Motion, 'map' | 'speed'>>,
  countInTo: number,
) {
  const after = from(motion, ms, change);
  if (after.beat >= countInTo) return after;
  const beginsMs = songMsAt(motion, msOfBeat(motion, countInTo));
  return { ...after, songMs: beginsMs - (after.map.msAt(countInTo) - after.map.msAt(after.beat)) };
}

/** The same motion expressed from a later moment, with changes applied there. */
export function from(motion: Motion, ms: number, change: Partial<Omit<Motion, 'fromMs'>> = {}): Motion {
  const { map, speed } = motion;
  return { map, speed, beat: beatAt(motion, ms), songMs: songMsAt(motion, ms), ...change, fromMs: ms };
}
