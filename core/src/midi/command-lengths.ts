export function isChannelStatus(status: number): boolean {
  return status >= 0x80 && status < 0xf0;
}

/** Number of data bytes after a status byte other than SysEx (MIDI 1.0 Detailed Specification). */
export function lengthAfter(status: number): number {
  if (status >= 0xf0) return status === 0xf2 ? 2 : status === 0xf1 || status === 0xf3 ? 1 : 0;
  return status >= 0xc0 && status < 0xe0 ? 1 : 2;
}
