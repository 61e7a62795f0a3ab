/** For the worker's side of a link: holds the lock that tells the window that this worker lives. */
export function holdLifeline(lock: string): Promise<void> {
  if (!('locks' in navigator)) return Promise.resolve();
  return new Promise((held) => {
    void navigator.locks.request(lock, () => {
      held();
      return new Promise(() => undefined); // Until the worker ends.
    });
  });
}

/** For the worker's side: the answer itself is the sign of life. */
export function heartbeat(): void {
  // Nothing to do.
}
