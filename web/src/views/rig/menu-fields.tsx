import type { FrameRate, MenuSettings } from '@metronomo/core';
import { Field, Select } from '../../parts/field';
import type { Gear } from '../../store/records';
import { Check } from '../../parts/check';

interface Props {
  gear: Gear;
  onChange: (change: Partial<Gear>) => Promise<string | null>;
}

const SWITCHES = [
  ['clockIn', 'clock in'],
  ['clockOut', 'clock out'],
  ['thru', 'thru at its out'],
  ['local', 'local'],
] as const satisfies readonly (readonly [keyof MenuSettings, string])[];

/** The language gear takes its time in, and how it is set in its own menus. */
export function MenuFields({ gear, onChange }: Props) {
  const set = (change: Partial<MenuSettings>) => void onChange({ set: { ...gear.set, ...change } });
  return (
    <>
      <Field label="Takes its time by">
        {(id) => (
          <Select
            id={id}
            value={gear.takes}
            onChange={({ target }) => void onChange({ takes: target.value as Gear['takes'] })}
          >
            <option value="clock">MIDI clock</option>
            <option value="timecode">timecode</option>
            <option value="nothing">nothing</option>
          </Select>
        )}
      </Field>
      {gear.takes === 'timecode' ? (
        <Field label="Frames a second">
          {(id) => (
            <Select
              id={id}
              value={gear.rate}
              onChange={({ target }) => void onChange({ rate: target.value as FrameRate })}
            >
              {(['24', '25', '29.97df', '30'] as const).map((rate) => (
                <option key={rate} value={rate}>
                  {rate === '29.97df' ? '29.97 drop-frame' : rate}
                </option>
              ))}
            </Select>
          )}
        </Field>
      ) : (
        <Field label="Its clock source is">
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
      <fieldset className="col-span-2 flex flex-wrap gap-x-5 gap-y-1 text-sm">
        <legend className="text-xs text-soft">In its own menu</legend>
        {SWITCHES.map(([key, label]) => (
          <Check key={key} label={label} checked={gear.set[key]} onChange={() => set({ [key]: !gear.set[key] })} />
        ))}
      </fieldset>
    </>
  );
}
