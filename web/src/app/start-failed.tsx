/** Shown instead of the app when the browser's storage or its workers cannot be used. */
export function StartFailed({ error }: { error: unknown }) {
  return (
    <main className="mx-auto max-w-xl p-10">
      <h1 className="mb-2 text-lg font-bold">Metronomo could not start</h1>
      <p className="mb-2">
        It keeps its takes in this browser’s storage, and that could not be opened. A private window or a full disk can
        be the cause. Nothing that was stored has been changed.
      </p>
      <p className="font-mono text-xs text-soft">{error instanceof Error ? error.message : String(error)}</p>
    </main>
  );
}
