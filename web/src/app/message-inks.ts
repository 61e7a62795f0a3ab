import type { MessageKind } from '../hub/protocol';

/** One color per kind of message. */
export const MESSAGE_INKS: Record<MessageKind, string> = {
  clock: 'text-clock',
  transport: 'text-command',
  timecode: 'text-timecode',
  notes: 'text-audio',
  other: 'text-soft',
};
