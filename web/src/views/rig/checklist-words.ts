import type { ChecklistItem } from '@metronomo/core';
import { fps } from '../../words/numbers';

/** A setting to make on the device, in generic words, because menus differ between makers. */
export function checklistWords(item: ChecklistItem): string {
  switch (item.about) {
    case 'clock source':
      return item.value === 'external' ? 'Clock source: external (MIDI)' : 'Clock source: internal';
    case 'clock in':
      return 'Receive clock: on';
    case 'clock out':
      return `Send clock: ${item.value}`;
    case 'start and stop':
      return 'Receive start and stop: on';
    case 'song position':
      return 'Receive song position: on';
    case 'thru':
      return 'MIDI thru on OUT: off';
    case 'local':
      return 'Local control: off';
    case 'timecode':
      return `MIDI timecode (MTC): on, ${fps(item.rate)}`;
    case 'machine control':
      return 'Receive machine control (MMC): on, device ID 127 or “all”';
    case 'receive channel':
      return `Receive channel: ${item.channels.join(', ')} (port ${item.ports.join(', ')})`;
    case 'own offset':
      return `Device offset: ${item.value} ${item.unit}`;
  }
}
