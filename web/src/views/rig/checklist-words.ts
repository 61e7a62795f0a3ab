import type { ChecklistItem, GearKind, SyncPlace } from '@metronomo/core';
import { fps } from '../../words/numbers';

/** Where the sync of the device that is set up enters and leaves it. */
export interface Places {
  kind: GearKind;
  in: SyncPlace | null;
  out: SyncPlace | null;
}

/**
 * A setting to make on the device, in generic words, because menus differ between makers; with the socket or the port on
 * which to make it. A program's preferences list ports, a device's menu its sockets.
 */
export function checklistWords(item: ChecklistItem, places: Places): string {
  switch (item.about) {
    case 'clock source':
      return item.value === 'external' ? `Clock source: external (MIDI)${on(places, 'in')}` : 'Clock source: internal';
    case 'clock in':
      return 'Receive clock: on';
    case 'clock out':
      return `Send clock: ${item.value}${item.value === 'on' ? `${on(places, 'out')}, with start and stop` : ''}`;
    case 'start and stop':
      return 'Receive start and stop: on';
    case 'song position':
      return 'Receive song position: on';
    case 'thru':
      return 'MIDI thru on OUT: off';
    case 'local':
      return 'Local control: off';
    case 'timecode':
      return `MIDI timecode (MTC): on, ${fps(item.rate)}${places.in ? on(places, 'in') : on(places, 'out')}`;
    case 'machine control':
      return 'Receive machine control (MMC): on, device ID 127 or “all”';
    case 'receive channel':
      return `Receive channel: ${item.channels.join(', ')} (port ${item.ports.join(', ')})`;
    case 'own offset':
      return `Device offset: ${item.value} ${item.unit}`;
  }
}

function on(places: Places, direction: 'in' | 'out'): string {
  const place = places[direction];
  if (!place) return '';
  const isProgram = places.kind === 'audioProgram' || places.kind === 'tablet';
  if (isProgram && place.port !== null) return direction === 'in' ? `, from “${place.port}”` : `, to “${place.port}”`;
  return `, socket ${place.socket}`;
}
