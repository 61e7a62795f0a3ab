const PATIENCE_MS = 20_000;

/** For tests: polls until there is a value, and returns it. */
export async function until<Value>(look: () => Value | null | undefined): Promise<Value> {
  for (const endMs = Date.now() + PATIENCE_MS; Date.now() < endMs;) {
    const found = look();
    if (found !== null && found !== undefined) return found;
    await new Promise((resolve) => setTimeout(resolve, 5));
  }
  throw new Error(`Timed out after ${PATIENCE_MS / 1000} s: ${String(look)}`);
}
