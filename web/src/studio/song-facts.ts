import {
  COMMON_TIME,
  formatTimecode,
  framesToTimecode,
  MeterMap,
  secondsToFrames,
  songMaps,
  TempoMap,
  TICKS_PER_BEAT,
  timecodeToFrames,
} from '@metronomo/core';
import memoizeOne from 'memoize-one';
import type { Rig, Song } from '../store/records';

/** Memoized facts about the current song. */
export interface SongFacts {
  meter: MeterMap;
  tempo: TempoMap;
  /** Start of each section, in quarter notes. */
  beginsAt: number[];
  /** 0 without sections. */
  lengthBeats: number;
}

export const factsOf = memoizeOne((song: Song, bpm: number): SongFacts => {
  const even = { meter: new MeterMap([COMMON_TIME]), tempo: new TempoMap([{ beat: 0, bpm }]) };
  if (song.sections.length === 0) return { ...even, beginsAt: [], lengthBeats: 0 };
  const { tempo, meter, beginsAt, lengthBeats } = songMaps(song.sections);
  const maps = song.tempoFrom === 'hand' ? even : { meter: new MeterMap(meter), tempo: new TempoMap(tempo) };
  return { ...maps, beginsAt, lengthBeats };
});

/** `17.3.06`: bars and beats from 1, ticks of MIDI clock. */
export function barsBeatsTicks(meter: MeterMap, at: number): string {
  const { bar, beat, ticks } = meter.positionAt(at + 1e-6);
  return `${bar}.${beat}.${String(Math.floor((ticks / 960) * TICKS_PER_BEAT)).padStart(2, '0')}`;
}

/** Song time, ms from beat 0, as timecode at the song's rate from its start timecode. */
export function songTimecode({ timecodeStart, rate }: Rig['song'], songMs: number): string {
  const frame = Math.floor(timecodeToFrames(timecodeStart, rate) + secondsToFrames(songMs / 1000, rate) + 1e-6);
  return formatTimecode(framesToTimecode(frame, rate), rate);
}
