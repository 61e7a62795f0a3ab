import { Button } from '../parts/button';

/** Shown instead of the app when the browser's storage or its workers can't be used. */
export function StartFailed({ error }: { error: unknown }) {
  return (
    <main className="mx-auto max-w-xl p-10">
      <h1 className="mb-2 text-lg font-bold">Metronomo couldn’t start</h1>
      <p className="mb-2">
        The browser’s storage couldn’t be opened. This happens in private windows or when the disk is full. Use a normal
        window or free some disk space, then reload. Your saved data is unchanged.
      </p>
      <p className="font-mono text-xs text-soft">{error instanceof Error ? error.message : String(error)}</p>
      <Button className="mt-4" onClick={() => location.reload()}>
        Reload page
      </Button>
    </main>
  );
}
