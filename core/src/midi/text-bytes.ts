const MAX_BYTES = 200;
const MAX_LETTERS = 60;

/** UTF-8 without platform APIs; limited to the length of a name. */
export function utf8(text: string): Uint8Array {
  const bytes: number[] = [];
  for (const letter of text.replaceAll(/\p{Surrogate}/gu, '\ufffd')) {
    const encoded = encodeURIComponent(letter);
    if (encoded.startsWith('%')) for (const hex of encoded.slice(1).split('%')) bytes.push(parseInt(hex, 16));
    else bytes.push(letter.charCodeAt(0));
    if (bytes.length > MAX_BYTES) break;
  }
  return Uint8Array.from(bytes);
}

/** Decodes UTF-8, falling back to single bytes; printable characters only. */
export function decoded(data: Uint8Array): string {
  const bytes = [...data.subarray(0, MAX_BYTES)];
  const plain = String.fromCharCode(...bytes);
  try {
    return plainText(decodeURIComponent(bytes.map((byte) => `%${byte.toString(16).padStart(2, '0')}`).join('')));
  } catch {
    return plainText(plain);
  }
}

/** Removes everything that controls a display: control characters, directional marks, line breaks. */
export function plainText(text: string): string {
  return text.replaceAll(/[\p{C}\p{Zl}\p{Zp}]/gu, '').slice(0, MAX_LETTERS);
}
