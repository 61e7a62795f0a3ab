const MOST_NAME_BYTES = 200;

/** A name for a file: not more than what others show of it. */
export function utf8(text: string): Uint8Array {
  const bytes: number[] = [];
  for (const letter of text.replaceAll(/\p{Surrogate}/gu, '\ufffd')) {
    const encoded = encodeURIComponent(letter);
    if (encoded.startsWith('%')) for (const hex of encoded.slice(1).split('%')) bytes.push(parseInt(hex, 16));
    else bytes.push(letter.charCodeAt(0));
    if (bytes.length > MOST_NAME_BYTES) break;
  }
  return Uint8Array.from(bytes);
}

/** As UTF-8 where it is that, else byte by byte; nothing but what can be shown. */
export function decoded(data: Uint8Array): string {
  const bytes = [...data.subarray(0, MOST_NAME_BYTES)];
  const plain = String.fromCharCode(...bytes);
  try {
    return shown(decodeURIComponent(bytes.map((byte) => `%${byte.toString(16).padStart(2, '0')}`).join('')));
  } catch {
    return shown(plain);
  }
}

function shown(text: string): string {
  return [...text]
    .filter((letter) => letter >= ' ')
    .join('')
    .slice(0, 60);
}
