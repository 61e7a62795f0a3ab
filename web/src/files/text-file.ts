/** A file can't be read: why, and where. Nothing has changed. */
export class FileError extends Error {
  override readonly name = 'FileError';
}

const DEEPEST = 40;
/** Keys that could pollute object prototypes. */
const FORBIDDEN = new Set(['__proto__', 'constructor', 'prototype']);

/** @throws FileError if it isn't UTF-8. A byte order mark is skipped. */
export function decodeText(bytes: Uint8Array, what = 'This file'): string {
  const [first, second] = bytes;
  if ((first === 0xff && second === 0xfe) || (first === 0xfe && second === 0xff))
    throw new FileError(`${what} is UTF-16 text. Save it as UTF-8 and import it again.`);
  try {
    return new TextDecoder('utf-8', { fatal: true }).decode(bytes);
  } catch {
    throw new FileError(`${what} isn’t UTF-8 text. Save it as UTF-8 and import it again.`);
  }
}

/** @throws FileError that says where the JSON is invalid, nested too deeply, or contains a prototype-polluting key. */
export function parseJson(text: string, what = 'This file'): unknown {
  const at = tooDeepAt(text);
  if (at !== null) throw new FileError(`${what} is nested more than ${DEEPEST} levels deep (character ${at}).`);
  let value: unknown;
  try {
    value = JSON.parse(text);
  } catch (error) {
    throw new FileError(`${what} isn’t valid JSON: ${error instanceof Error ? error.message : 'unreadable'}.`);
  }
  const key = forbiddenKey(value);
  if (key !== null) throw new FileError(`${what} contains a forbidden key: “${key}”.`);
  return value;
}

/** Position where brackets outside strings exceed the depth limit; null if they never do. */
function tooDeepAt(text: string): number | null {
  let depth = 0;
  let quoted = false;
  for (let i = 0; i < text.length; i++) {
    const letter = text.charCodeAt(i);
    if (quoted) {
      if (letter === 0x5c) i++;
      else if (letter === 0x22) quoted = false;
    } else if (letter === 0x22) quoted = true;
    else if (letter === 0x5b || letter === 0x7b) {
      if (++depth > DEEPEST) return i;
    } else if (letter === 0x5d || letter === 0x7d) depth--;
  }
  return null;
}

function forbiddenKey(value: unknown): string | null {
  if (typeof value !== 'object' || value === null) return null;
  if (Array.isArray(value)) {
    for (const one of value) {
      const key = typeof one === 'object' ? forbiddenKey(one) : null;
      if (key !== null) return key;
    }
    return null;
  }
  for (const [key, one] of Object.entries(value)) {
    if (FORBIDDEN.has(key)) return key;
    const inside = forbiddenKey(one);
    if (inside !== null) return inside;
  }
  return null;
}

/**
 * A file object identified and versioned by a key.
 * @throws FileError
 */
export function versioned(value: unknown, key: string, newest: number, what: string): Record<string, unknown> {
  const file = typeof value === 'object' && value !== null && !Array.isArray(value) ? value : {};
  const { [key]: version } = file as Record<string, unknown>;
  if (typeof version !== 'number') throw new FileError(`This isn’t a ${what}: “${key}” is missing.`);
  if (!(Number.isInteger(version) && version >= 1))
    throw new FileError(`“${key}” must be a whole number, 1 or higher.`);
  if (version > newest)
    throw new FileError(
      `This ${what} comes from a newer Metronomo (version ${version}; this one reads up to ${newest}). Update Metronomo to import it.`,
    );
  return file as Record<string, unknown>;
}
