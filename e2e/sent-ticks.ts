import type { Page } from './browser';

interface Sent {
  bytes: number[];
  atMs: number;
}

/** When each tick of the song was due at "Attic in", by tick number, in ms since 1970. */
export async function sentTicks(page: Page): Promise<Map<number, number>> {
  const { sent, origin } = await page.driver.executeScript<{ sent: Sent[]; origin: number }>(
    'return { sent: standIn.sent, origin: performance.timeOrigin }',
  );
  const ticks = new Map<number, number>();
  let next: number | null = null;
  let placed = 0;
  for (const { bytes, atMs } of sent) {
    if (bytes[0] === 0xf2) placed = ((bytes[2]! << 7) | bytes[1]!) * 6;
    if (bytes[0] === 0xfa) next = 0;
    if (bytes[0] === 0xfb) next = placed;
    if (bytes[0] === 0xfc) next = null;
    if (bytes[0] === 0xf8 && next !== null) ticks.set(next++, origin + atMs);
  }
  return ticks;
}
