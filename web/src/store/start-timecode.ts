import { codeAtRate, FRAME_RATES, formatTimecode, type FrameRate } from '@metronomo/core';
import { fps } from '../words/numbers';
import type { Rig, Song } from './records';

/** Whether the start timecode exists at the song's frame rate. Malformed values don't. */
export function startExists({ timecodeStart, rate }: Pick<Song, 'timecodeStart' | 'rate'>): boolean {
  if (!timecodeStart || !(rate in FRAME_RATES)) return false;
  return codeAtRate(timecodeStart, rate).frames === timecodeStart.frames;
}

/** The rig with a start timecode that exists, and what was changed; null if nothing was. */
export function withExistingStart(rig: Rig): { rig: Rig; note: string } | null {
  const { song } = rig;
  if (!song?.timecodeStart || !(song.rate in FRAME_RATES) || startExists(song)) return null;
  const timecodeStart = codeAtRate(song.timecodeStart, song.rate);
  const inWords = (code: Song['timecodeStart'], rate: FrameRate) => formatTimecode(code, rate);
  const note = `Start timecode ${inWords(song.timecodeStart, song.rate)} doesn’t exist at ${fps(song.rate)}. Changed to ${inWords(timecodeStart, song.rate)}.`;
  return { rig: { ...rig, song: { ...song, timecodeStart } }, note };
}
