import type { FrameRate, MenuSettings } from '@metronomo/core';
import { Field, Select } from '../../parts/field';
import { fps } from '../../words/numbers';
import type { Gear } from '../../store/records';
import { Check } from '../../parts/check';
import { Group } from '../../parts/layer';
import { ChannelField } from './channel-field';

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

/** What the device syncs to, with the frame rate of its timecode. */
export function SyncFields({ gear, onChange }: Props) {
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
      {gear.syncsTo === 'timecode' && (
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
      )}
    </>
  );
}

/** The device's own settings, as the musician says they are. */
export function MenuFields({ gear, onChange }: Props) {
  const set = (change: Partial<MenuSettings>) => void onChange({ set: { ...gear.set, ...change } });
  return (
    <>
      {gear.syncsTo !== 'timecode' && (
        <Field label="Clock source" hint="Where it takes its tempo from.">
          {(id, describedBy) => (
            <Select
              id={id}
              aria-describedby={describedBy}
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
      <ChannelField
        label="Receive channel"
        hint="The MIDI channel it listens to."
        value={gear.set.channels[0] ?? 1}
        onChoose={(channel) => set({ channels: [channel] })}
      />
      <Group name="Switches" about="As they are set now. The line check compares them with what the rig needs.">
        <div className="mt-1 flex flex-wrap gap-x-5 gap-y-1">
          {SWITCHES.map(([key, label]) => (
            <Check key={key} label={label} checked={gear.set[key]} onChange={() => set({ [key]: !gear.set[key] })} />
          ))}
        </div>
      </Group>
    </>
  );
}
