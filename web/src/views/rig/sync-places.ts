import { syncPlace, type GearKind, type RigPlan } from '@metronomo/core';
import type { Places } from './checklist-words';

/** The sockets on which a device's sync is set. */
export function placesOf(plan: RigPlan, { id, kind }: { id: string; kind: GearKind }): Places {
  return { kind, in: syncPlace(plan, id, 'in'), out: syncPlace(plan, id, 'out') };
}
