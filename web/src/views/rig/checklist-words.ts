import type { ChecklistItem } from '@metronomo/core';

/** What to set in gear's own menus, in general words, for the names in menus differ from maker to maker. */
export function checklistWords(item: ChecklistItem): string {
  switch (item.about) {
    case 'clock source':
      return item.value === 'external' ? 'Clock source: external, or MIDI' : 'Clock source: internal';
    case 'clock in':
      return 'Receive MIDI clock: on';
    case 'clock out':
      return `Send MIDI clock: ${item.value}`;
    case 'start and stop':
      return 'Receive start and stop: on';
    case 'song position':
      return 'Receive song position: on';
    case 'thru':
      return 'Thru at its out, or echo back: off';
    case 'local':
      return 'Local control of its keys: off';
    case 'timecode':
      return `Sync: MIDI timecode, ${item.rate === '29.97df' ? '29.97 drop-frame' : item.rate} frames a second`;
    case 'machine control':
      return 'Receive machine control (MMC): on, device number 127 or “all”';
    case 'receive channel':
      return `Receive channel: ${item.channels.join(', ')} (port ${item.ports.join(', ')})`;
    case 'own offset':
      return `Its own offset: ${item.value} ${item.unit}`;
  }
}
