/** The delay that buffers are said to have wavers a little by itself. */
const SAME_BUFFER_MS = 5;

/** Whether the sound card's buffers are others than they were; where either is not known, they are taken for the same. */
export function otherBuffers(beforeMs: number | null | undefined, nowMs: number | null): boolean {
  return beforeMs != null && nowMs !== null && Math.abs(beforeMs - nowMs) > SAME_BUFFER_MS;
}
