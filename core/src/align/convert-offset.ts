import { TICKS_PER_BEAT } from '../midi/message';
import { secondsToFrames, type FrameRate } from '../timecode/timecode';

/** A duration in every unit that device offsets use; the sign is kept. */
export function convertOffset(
  ms: number,
  at: { sampleRate: number; bpm: number; rate: FrameRate },
): { ms: number; samples: number; ticks: number; frames: number } {
  return {
    ms,
    samples: (ms / 1000) * at.sampleRate,
    ticks: (ms / 60_000) * at.bpm * TICKS_PER_BEAT,
    frames: secondsToFrames(ms / 1000, at.rate),
  };
}
