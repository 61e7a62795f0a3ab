import { mkdtempSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { MachineWatch } from '../e2e/machine';
import { newestTicks, openTwo } from '../e2e/two-metronomos';
import type { Figure } from './figures';

const SETTLES_MS = 15_000;
const LOOKS = 15;
const EVERY_MS = 2000;

/** Two of them on this machine, one leading the other over the network: how far their ticks are apart. */
export async function twoFigures(): Promise<Figure[]> {
  const { leader, follower } = await openTwo(mkdtempSync(join(tmpdir(), 'metronomo-two-')));
  const pause = (ms: number) => new Promise((resolve) => setTimeout(resolve, ms));
  try {
    await follower.press('Accept');
    await follower.sees(/Boathouse\s+Connected/);
    await leader.press('Play');
    await follower.sees(/playing/);
    await pause(SETTLES_MS);
    const machine = new MachineWatch();
    const all: number[] = [];
    for (let i = 0; i < LOOKS; i++) {
      await pause(EVERY_MS);
      all.push(...(await newestTicks(leader, follower)));
    }
    machine.end();
    const sizes = all.map(Math.abs).sort((a, b) => a - b);
    const at = (share: number) => (sizes[Math.floor(share * (sizes.length - 1))] ?? NaN).toFixed(3);
    return [
      {
        what: `Two of them over the network, ${(LOOKS * EVERY_MS) / 1000} s: ticks apart, median, 95% and worst`,
        ours: `${at(0.5)} ms, ${at(0.95)} ms, ${at(1)} ms`,
        beside: `meanwhile ${machine.report}`,
      },
    ];
  } finally {
    await Promise.all([leader.close(), follower.close()]);
  }
}
