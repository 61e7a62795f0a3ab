import fc from 'fast-check';
import { Evening } from './evening';
import { evenings, nothingDone } from './evening-commands';

export interface FailedEvening {
  seed: number;
  fault: string;
  /** The smallest studio, and the shortest list of happenings, that still fail. */
  studio: string;
  happenings: string;
}

const SHRINK_MS = 20_000;

/** Plays one random evening, the same for the same seed; null if all went well. */
export function playEvening(seed: number): FailedEvening | null {
  const { failed, counterexample, errorInstance } = fc.check(
    fc.property(evenings, ({ studio, happenings }) => {
      const evening = new Evening(studio.settings());
      fc.modelRun(() => ({ model: nothingDone(), real: evening }), happenings);
      evening.settle();
    }),
    // Shrinking may go on for hours; what was found until then will do.
    { seed, numRuns: 1, interruptAfterTimeLimit: SHRINK_MS },
  );
  if (!failed) return null;
  const [found] = counterexample ?? [];
  const fault = errorInstance instanceof Error ? (errorInstance.stack ?? errorInstance.message) : String(errorInstance);
  return { seed, fault, studio: String(found?.studio), happenings: String(found?.happenings) };
}
