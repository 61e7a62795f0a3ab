import { ignoreKnownLosses } from './known-losses';
import { WorkerLostError } from './worker-link';

test.each([
  ['a call that a lost worker left unanswered isn’t', new WorkerLostError('The hub stopped.'), false],
  ['any other error is', new Error('out of range'), true],
])('%s reported to the console', (_, reason, reported) => {
  const page = new EventTarget();
  ignoreKnownLosses(page);
  const event = Object.assign(new Event('unhandledrejection', { cancelable: true }), { reason });
  expect(page.dispatchEvent(event)).toBe(reported);
});
