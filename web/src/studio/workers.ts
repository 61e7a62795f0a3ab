import type { HubCommand } from '@metronomo/core';
import type { HubWorkerApi } from '../hub/protocol';
import type { MeasureWorkerApi } from '../measure/protocol';
import { WorkerLink } from '../workers/worker-link';
import { useSession } from './session';

export type HubApi = WorkerLink<HubWorkerApi>['api'];
export type MeasureApi = WorkerLink<MeasureWorkerApi>['api'];

/** How the studio brings a new worker to where it has to be. */
interface Care {
  /** `before`: why the one before was lost; null at the first start. */
  hub(api: HubApi, before: string | null): Promise<void>;
  measure(api: MeasureApi, before: string | null): Promise<void>;
  lost(which: 'hub' | 'measure', why: string, again: boolean): void;
}

const NO_CARE: Care = {
  hub: () => Promise.resolve(),
  measure: () => Promise.resolve(),
  lost: () => undefined,
};

const care: { of: Care } = { of: NO_CARE };

const hubLink = new WorkerLink<HubWorkerApi>({
  name: 'hub',
  make: () => new Worker(new URL('../hub/hub.worker.ts', import.meta.url), { type: 'module', name: 'hub' }),
  setUp: (api, before) => care.of.hub(api as HubApi, before),
  onLost: (why, again) => lost('hub', why, again),
});
const measureLink = new WorkerLink<MeasureWorkerApi>({
  name: 'analyzer',
  make: () => new Worker(new URL('../measure/measure.worker.ts', import.meta.url), { type: 'module', name: 'measure' }),
  setUp: (api, before) => care.of.measure(api as MeasureApi, before),
  onLost: (why, again) => lost('measure', why, again),
  longCalls: ['keepTake', 'analyze', 'analyzeClock', 'openFile', 'keepFile', 'readStem', 'moveStem', 'envelopes'],
});

/** The worker that runs the hub. */
export const hub = hubLink.api;
/** The worker that captures and measures. */
export const measure = measureLink.api;

/** @throws WorkerLostError if one of them can't be loaded. */
export async function startWorkers(taken: Care): Promise<void> {
  care.of = taken;
  await Promise.all([measureLink.start(), hubLink.start()]);
}

export function command(order: HubCommand): void {
  void hub.command(order);
}

function lost(which: 'hub' | 'measure', why: string, again: boolean): void {
  useSession.setState({ engineProblem: again ? null : `${why} Reload the page. Saved data is safe.` });
  care.of.lost(which, why, again);
}
