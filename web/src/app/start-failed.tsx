import { WorkerLostError } from '../workers/worker-link';
import { WaysOn } from './ways-on';

/** Shown instead of the app when the browser's storage or its workers can't be used. */
export function StartFailed({ error }: { error: unknown }) {
  return (
    <main className="mx-auto flex max-w-xl flex-col gap-4 p-10">
      <h1 className="text-lg font-bold">Metronomo couldn’t start</h1>
      <p>
        {error instanceof WorkerLostError
          ? 'A part of the app couldn’t be loaded. Check that Metronomo’s server is running and that no extension blocks its scripts, then reload.'
          : 'The browser’s storage couldn’t be opened. This happens in private windows or when the disk is full. Use a normal window or free some disk space, then reload. Your saved data is unchanged.'}
      </p>
      <p className="font-mono text-xs text-soft">{error instanceof Error ? error.message : String(error)}</p>
      <WaysOn />
    </main>
  );
}
