/** The reported buffer latency fluctuates by this much. */
const SAME_BUFFER_MS = 5;

/** Whether the sound card's buffer latency changed; unknown values count as unchanged. */
export function otherBuffers(beforeMs: number | null | undefined, nowMs: number | null): boolean {
  return beforeMs != null && nowMs !== null && Math.abs(beforeMs - nowMs) > SAME_BUFFER_MS;
}
