/** Saves a file through the browser. */
export function saveFile(name: string, parts: BlobPart[], type: string): void {
  const url = URL.createObjectURL(new Blob(parts, { type }));
  Object.assign(document.createElement('a'), { href: url, download: name }).click();
  URL.revokeObjectURL(url);
}

export function saveText(name: string, text: string): void {
  saveFile(name, [text], 'text/plain');
}
