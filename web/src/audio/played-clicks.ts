/** Enough for ten minutes at 400 BPM. */
const MOST = 4096;

let frames: number[] = [];

/** A click leaves with this frame of the audio context. */
export function notePlayed(frame: number): void {
  frames.push(frame);
  if (frames.length > 2 * MOST) frames = frames.slice(-MOST);
}

/** Clicks left out of every seven: shifted by any number of beats, the pattern no longer matches itself. */
const PATTERN = 7;
const LEFT_OUT = [0, 2];

let clicksOfPattern: number | null = null;

/** Turns the pattern on, from its beginning, or off. */
export function leaveSomeOut(some: boolean): void {
  clicksOfPattern = some ? 0 : null;
}

/** Call once per click: true if it must not be played. */
export function isLeftOut(): boolean {
  return clicksOfPattern !== null && LEFT_OUT.includes(clicksOfPattern++ % PATTERN);
}

/** The frames at which clicks left, from one frame to another. Input and output of one context count the same frames. */
export function playedBetween(from: number, to: number): number[] {
  return frames.filter((frame) => frame >= from && frame < to);
}
