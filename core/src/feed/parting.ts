import { encodeMidi } from '../midi/encode-midi';
import { encodeMmc } from '../midi/mmc';
import { framesToTimecode, secondsToFrames, timecodeToFrames } from '../timecode/timecode';
import { fullFrameMessage } from '../timecode/timecode-messages';
import type { FeedSettings } from './feed-settings';

const MIDNIGHT = { hours: 0, minutes: 0, seconds: 0, frames: 0 };

/**
 * What stops everyone on a wire at once, without a plan: stop, MMC stop, and a full frame of where the song stands, each
 * where the wire carries its kind. For a page that is being closed.
 */
export function partingMessages({ sends, timecodeStart = MIDNIGHT }: FeedSettings, songMs: number): Uint8Array[] {
  const { transport, mmc = false, timecode } = sends;
  const bytes: Uint8Array[] = [];
  if (transport) bytes.push(encodeMidi({ kind: 'stop' }));
  if (mmc) bytes.push(encodeMidi(encodeMmc({ kind: 'stop' })));
  if (timecode) {
    const frames = timecodeToFrames(timecodeStart, timecode) + secondsToFrames(Math.max(0, songMs) / 1000, timecode);
    bytes.push(encodeMidi(fullFrameMessage(framesToTimecode(Math.floor(frames + 1e-6), timecode), timecode)));
  }
  return bytes;
}
