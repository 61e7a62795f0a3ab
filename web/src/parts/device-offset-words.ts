import type { DeviceOffset, Rig } from '../store/records';

/** What an offset of a device shifts: "notes", "clock to Harbor". */
export function offsetName({ shifts, to }: Pick<DeviceOffset, 'shifts' | 'to'>, rig: Pick<Rig, 'gear'>): string {
  return shifts === 'clockOut' ? `clock to ${deviceName(rig, to)}` : shifts;
}

export function deviceName({ gear }: Pick<Rig, 'gear'>, id: string | undefined): string {
  return gear.find((one) => one.id === id)?.name ?? 'a device that was removed';
}
