/** A file cannot be read: why, and where, in words; nothing has changed. */
export class FileError extends Error {
  override readonly name = 'FileError';
}

const DEEPEST = 40;
/** Keys that reach into how objects are made have no business in a file. */
const FORBIDDEN = new Set(['__proto__', 'constructor', 'prototype']);

/** @throws FileError where it is no UTF-8. A byte order mark is passed over. */
export function decodeText(bytes: Uint8Array, what = 'This file'): string {
  const [first, second] = bytes;
  if ((first === 0xff && second === 0xfe) || (first === 0xfe && second === 0xff))
    throw new FileError(`${what} is text in UTF-16. Save it as UTF-8, then open it again.`);
  try {
    return new TextDecoder('utf-8', { fatal: true }).decode(bytes);
  } catch {
    throw new FileError(`${what} is no text in UTF-8.`);
  }
}

/** @throws FileError that says where it is no JSON, or what of it is not taken: too deep, or keys that reach into objects themselves. */
export function parseJson(text: string, what = 'This file'): unknown {
  const at = tooDeepAt(text);
  if (at !== null) throw new FileError(`${what} is nested more than ${DEEPEST} deep, at character ${at}.`);
  let value: unknown;
  try {
    value = JSON.parse(text);
  } catch (error) {
    throw new FileError(`${what} is no JSON: ${error instanceof Error ? error.message : 'it cannot be read'}.`);
  }
  const key = forbiddenKey(value);
  if (key !== null) throw new FileError(`${what} holds a key that is not taken: “${key}”.`);
  return value;
}

/** Where brackets, outside of strings, are more than so many deep; null where they never are. */
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

/** An object of a file that says by a key what it is, in which version. @throws FileError */
export function versioned(value: unknown, key: string, newest: number, what: string): Record<string, unknown> {
  const file = typeof value === 'object' && value !== null && !Array.isArray(value) ? value : {};
  const { [key]: version } = file as Record<string, unknown>;
  if (typeof version !== 'number') throw new FileError(`This is no ${what}: “${key}” is missing.`);
  if (!(Number.isInteger(version) && version >= 1)) throw new FileError(`“${key}” has to be a whole number from 1 on.`);
  if (version > newest)
    throw new FileError(
      `This ${what} was saved by a newer Metronomo (version ${version}; this one reads ${newest}). Open it there, or update this one.`,
    );
  return file as Record<string, unknown>;
}
