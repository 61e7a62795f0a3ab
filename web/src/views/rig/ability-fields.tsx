import type { Abilities, FrameRate } from '@metronomo/core';
import { Field, Select } from '../../parts/field';
import { Group } from '../../parts/layer';
import { fps } from '../../words/numbers';
import type { Gear } from '../../store/records';
import { Check } from '../../parts/check';

interface Props {
  gear: Gear;
  onChange: (change: Partial<Gear>) => Promise<string | null>;
}

const ABLE = [
  ['lead', 'Can lead'],
  ['follow', 'Can follow'],
  ['clock', 'MIDI clock'],
  ['songPosition', 'Song position'],
  ['startStop', 'Start and stop'],
  ['mmc', 'Machine control (MMC)'],
  ['showsTempo', 'Tempo shown when stopped'],
  ['fromTopOnly', 'Starts from top only'],
  ['rearms', 'Restart after reconnect'],
  ['turnsTempo', 'Live tempo changes'],
] as const satisfies readonly (readonly [keyof Abilities, string])[];

const RATES: FrameRate[] = ['24', '25', '29.97df', '30'];

/** What the device can do, prefilled from its type. */
export function AbilityFields({ gear, onChange }: Props) {
  const able = (change: Partial<Abilities>) => void onChange({ able: { ...gear.able, ...change } });
  const { timecode, destinations } = gear.able;
  return (
    <>
      <Group name="Capabilities" about="Filled in from its type. Change them if the device can do more, or less.">
        <div className="mt-1 grid grid-cols-2 gap-x-3 gap-y-1">
          {ABLE.map(([key, label]) => (
            <Check key={key} label={label} checked={gear.able[key]} onChange={() => able({ [key]: !gear.able[key] })} />
          ))}
        </div>
      </Group>
      <Group name="Timecode frame rates">
        <div className="mt-1 flex flex-wrap gap-x-4 gap-y-1">
          {RATES.map((rate) => (
            <Check
              key={rate}
              label={fps(rate)}
              checked={timecode.includes(rate)}
              onChange={() => able({ timecode: RATES.filter((one) => timecode.includes(one) !== (one === rate)) })}
            />
          ))}
        </div>
      </Group>
      <Field label="Clock destinations" hint="How many devices it can send clock to.">
        {(id, describedBy) => (
          <Select
            id={id}
            aria-describedby={describedBy}
            value={destinations ?? ''}
            onChange={({ target }) => able({ destinations: target.value === '' ? null : Number(target.value) })}
          >
            <option value="">unlimited</option>
            {[1, 2, 3, 4].map((most) => (
              <option key={most} value={most}>
                {most === 1 ? 'one device' : `up to ${most} devices`}
              </option>
            ))}
          </Select>
        )}
      </Field>
    </>
  );
}

/** Free text about the device. */
export function CommentField({ gear, onChange }: Props) {
  return (
    <div className="mt-3 text-sm">
      <Field label="Comments">
        {(id) => (
          <textarea
            id={id}
            key={gear.notes}
            defaultValue={gear.notes}
            maxLength={2000}
            rows={2}
            className="w-full border border-rule bg-transparent px-2 py-1.5"
            onBlur={({ target }) => {
              if (target.value !== gear.notes) void onChange({ notes: target.value });
            }}
          />
        )}
      </Field>
    </div>
  );
}
