import type { OffsetAdvice } from '../../align/device-offsets';
import { driveOf } from '../../align/align-rows';
import { latenessText } from '../../parts/words';
import { deviceName } from '../../parts/device-offset-words';
import type { DeviceOffset, Gear, Rig } from '../../store/records';

/** A value as devices show it: with its sign, without digits that mean nothing. */
export function shown(value: number): string {
  return String(Number(value.toFixed(3)));
}

/** A value to enter, with its sign: "−24 ms". */
export function valueText(value: number, unit: DeviceOffset['unit']): string {
  const sign = value < 0 ? '−' : value > 0 ? '+' : '';
  return `${sign}${shown(Math.abs(value))} ${unit}`;
}

export function howToMeasure({ shifts, to }: DeviceOffset, gear: Gear, rig: Rig): string {
  switch (shifts) {
    case 'notes':
      return `Not measured yet. Record a take with ${gear.name} played by notes from the hub.`;
    case 'audio':
      return 'Not measured yet. Measure the device to see what to enter.';
    case 'clockOut':
      return `Not measured yet. On the Bench, measure ${deviceName(rig, to)} against the sound of ${gear.name} while it leads.`;
  }
}

/** The measurement that a value follows from. */
export function whatIsLate({ field, lateMs }: OffsetAdvice, gear: Gear, rig: Rig): string {
  if (lateMs === null) return '';
  const late = latenessText(lateMs);
  switch (field.shifts) {
    case 'notes':
      return driveOf(gear) === 'notes'
        ? `Played by the hub, ${gear.name} is ${late}.`
        : `Played by notes, ${gear.name} is ${late}; its offset for sync doesn’t move them.`;
    case 'audio':
      return `With its offset for sync as it is, ${gear.name} is ${late}.`;
    case 'clockOut':
      return `Against the sound of ${gear.name}, ${deviceName(rig, field.to)} is ${late}.`;
  }
}
