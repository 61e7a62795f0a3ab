import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { fromShelf } from '../core/src/rig/shelf';

/**
 * A rig file in `folder`: a device on a local cable, heard on `returnChannel`, and another computer, on `portId`, that
 * follows or leads.
 */
export function rigFile(
  folder: string,
  name: string,
  portId: string,
  leads: boolean,
  { peers = [], returnChannel = null }: { peers?: object[]; returnChannel?: number | null } = {},
): string {
  const gear = (kind: 'beatBox' | 'tablet', id: string, portId: string | null, more: object = {}) => ({
    ...fromShelf(kind, id, id),
    ...{ icon: null, checked: [], place: null, noteChannel: 10, returnChannel: null, portId },
    sends: { clock: true, transport: true, position: true },
    ...more,
  });
  const tablet = fromShelf('tablet', 'Far', 'Far');
  const able = { ...tablet.able, lead: true, songPosition: true };
  const box = { id: 'attic', label: 'Attic in', direction: 'out', link: 'din', portId: 'midi:attic-1' };
  const far = { id: 'far', label: 'Far', direction: leads ? 'in' : 'out', link: 'network', portId };
  const rig = {
    name,
    bpm: 120,
    // Sent earlier by the other side's buffer.
    gear: [
      gear('beatBox', 'Box', 'midi:attic-1', { returnChannel }),
      gear('tablet', 'Far', leads ? null : portId, { able, offsetMs: leads ? 0 : -30 }),
    ],
    hubSockets: [box, far],
    cables: [
      {
        id: 'c1',
        from: { gearId: 'hub', socketId: 'attic' },
        to: { gearId: 'Box', socketId: 'in' },
        notesPerSecond: 0,
      },
      leads
        ? {
            id: 'c2',
            from: { gearId: 'Far', socketId: 'net-out' },
            to: { gearId: 'hub', socketId: 'far' },
            notesPerSecond: 0,
          }
        : {
            id: 'c2',
            from: { gearId: 'hub', socketId: 'far' },
            to: { gearId: 'Far', socketId: 'net-in' },
            notesPerSecond: 0,
          },
    ],
    leaders: leads ? ['Far', 'hub'] : ['hub'],
    input: { sourceId: 'none', label: 'none', clickChannel: 0 },
    peers,
  };
  const file = join(folder, `${name}.rig.json`);
  writeFileSync(file, JSON.stringify({ metronomoRig: 1, rig }));
  return file;
}
