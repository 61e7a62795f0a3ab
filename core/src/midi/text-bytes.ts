const MOST_BYTES = 200;
const MOST_LETTERS = 60;

/** UTF-8, for the core has no encoder of its own: of a name not more than what others show of it. */
export function utf8(text: string): Uint8Array {
  const bytes: number[] = [];
  for (const letter of text.replaceAll(/\p{Surrogate}/gu, '\ufffd')) {
    const encoded = encodeURIComponent(letter);
    if (encoded.startsWith('%')) for (const hex of encoded.slice(1).split('%')) bytes.push(parseInt(hex, 16));
    else bytes.push(letter.charCodeAt(0));
    if (bytes.length > MOST_BYTES) break;
  }
  return Uint8Array.from(bytes);
}

/** As UTF-8 where it is that, else byte by byte; nothing but what can be shown. */
export function decoded(data: Uint8Array): string {
  const bytes = [...data.subarray(0, MOST_BYTES)];
  const plain = String.fromCharCode(...bytes);
  try {
    return plainText(decodeURIComponent(bytes.map((byte) => `%${byte.toString(16).padStart(2, '0')}`).join('')));
  } catch {
    return plainText(plain);
  }
}

/** Without what controls a screen instead of standing on it: control characters, marks of direction, ends of lines. */
export function plainText(text: string): string {
  return text.replaceAll(/[\p{C}\p{Zl}\p{Zp}]/gu, '').slice(0, MOST_LETTERS);
}
