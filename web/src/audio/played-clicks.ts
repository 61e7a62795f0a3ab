/** Enough for ten minutes at 400 BPM. */
const MOST = 4096;

let frames: number[] = [];

/** A click leaves with this frame of the audio context. */
export function notePlayed(frame: number): void {
  frames.push(frame);
  if (frames.length > 2 * MOST) frames = frames.slice(-MOST);
}

/** The frames at which clicks left, from one frame to another. Input and output of one context count the same frames. */
export function playedBetween(from: number, to: number): number[] {
  return frames.filter((frame) => frame >= from && frame < to);
}
