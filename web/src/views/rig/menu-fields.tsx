import type { FrameRate, MenuSettings } from '@metronomo/core';
import { Field, Select } from '../../parts/field';
import { fps } from '../../words/numbers';
import type { Gear } from '../../store/records';
import { Check } from '../../parts/check';

interface Props {
  gear: Gear;
  onChange: (change: Partial<Gear>) => Promise<string | null>;
}

const SWITCHES = [
  ['clockIn', 'Receive clock'],
  ['clockOut', 'Send clock'],
  ['thru', 'MIDI thru on OUT'],
  ['local', 'Local control'],
] as const satisfies readonly (readonly [keyof MenuSettings, string])[];

/** What the device syncs to, with its frame rate or clock source. */
export function SyncFields({ gear, onChange }: Props) {
  const set = (change: Partial<MenuSettings>) => void onChange({ set: { ...gear.set, ...change } });
  return (
    <>
      <Field label="Syncs to">
        {(id) => (
          <Select
            id={id}
            value={gear.syncsTo}
            onChange={({ target }) => void onChange({ syncsTo: target.value as Gear['syncsTo'] })}
          >
            <option value="clock">MIDI clock</option>
            <option value="timecode">timecode</option>
            <option value="nothing">nothing</option>
          </Select>
        )}
      </Field>
      {gear.syncsTo === 'timecode' ? (
        <Field label="Frame rate">
          {(id) => (
            <Select
              id={id}
              value={gear.rate}
              onChange={({ target }) => void onChange({ rate: target.value as FrameRate })}
            >
              {(['24', '25', '29.97df', '30'] as const).map((rate) => (
                <option key={rate} value={rate}>
                  {fps(rate)}
                </option>
              ))}
            </Select>
          )}
        </Field>
      ) : (
        <Field label="Clock source">
          {(id) => (
            <Select
              id={id}
              value={gear.set.clockSource}
              onChange={({ target }) => set({ clockSource: target.value as MenuSettings['clockSource'] })}
            >
              <option value="external">external</option>
              <option value="automatic">automatic</option>
              <option value="internal">internal</option>
            </Select>
          )}
        </Field>
      )}
    </>
  );
}

/** The device's own settings, as the musician says they are. */
export function DeviceSettings({ gear, onChange }: Props) {
  const set = (change: Partial<MenuSettings>) => void onChange({ set: { ...gear.set, ...change } });
  return (
    <fieldset className="col-span-2 flex flex-wrap gap-x-5 gap-y-1 text-sm">
      <legend className="text-xs text-soft">Device settings</legend>
      {SWITCHES.map(([key, label]) => (
        <Check key={key} label={label} checked={gear.set[key]} onChange={() => set({ [key]: !gear.set[key] })} />
      ))}
    </fieldset>
  );
}
