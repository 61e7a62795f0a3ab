import type { DeviceOffset, Gear } from './records';

export const OFFSET_SHIFTS = ['clockOut', 'notes', 'audio'] as const;
export const OFFSET_DEPENDS_ON = ['nothing', 'buffer', 'plugins', 'sampleRate'] as const;
/** Largest value and step of an offset that is set on a device, in its own unit. */
export const MAX_OWN_OFFSET = 100_000;
export const MAX_OFFSET_STEP = 1000;
export const MAX_DEVICE_OFFSETS = 16;

/** A setting of the device that isn't in use yet, in the unit of the others. */
export function newDeviceOffset(gear: Gear, id: string, what: Pick<DeviceOffset, 'shifts' | 'to'>): DeviceOffset {
  const { unit, plusIs, step, sampleRate } = gear.moreOffsets?.at(-1) ?? gear.offset;
  return {
    id,
    ...what,
    dependsOn: 'nothing',
    own: 0,
    unit,
    plusIs,
    step,
    ...(sampleRate !== undefined && { sampleRate }),
  };
}

/** The change that updates one setting. Another value makes what was measured before out of date. */
export function withDeviceOffset(
  { moreOffsets = [] }: Gear,
  id: string,
  change: Partial<DeviceOffset>,
  nowMs: number,
): Pick<Gear, 'moreOffsets'> {
  return {
    moreOffsets: moreOffsets.map((one) => {
      if (one.id !== id) return one;
      const next = { ...one, ...change };
      return next.own === one.own ? next : { ...next, changedAt: nowMs };
    }),
  };
}
