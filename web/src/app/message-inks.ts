import type { MessageKind } from '../hub/protocol';

/** One ink a kind of time message. */
export const MESSAGE_INKS: Record<MessageKind, string> = {
  clock: 'text-clock',
  transport: 'text-command',
  timecode: 'text-timecode',
  notes: 'text-audio',
  other: 'text-soft',
};
