import { WorkerLostError } from './worker-link';

/**
 * A lost worker was reported when it was lost, so calls that it left unanswered needn't be reported again, however far
 * from the call their rejection surfaces.
 */
export function ignoreKnownLosses(page: EventTarget): void {
  page.addEventListener('unhandledrejection', (event) => {
    if ((event as PromiseRejectionEvent).reason instanceof WorkerLostError) event.preventDefault();
  });
}
