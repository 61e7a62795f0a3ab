import type { Abilities, FrameRate, OffsetPlace } from '@metronomo/core';
import { Button } from '../../parts/button';
import { dayAndTime } from '../../parts/dates';
import { Field, Select } from '../../parts/field';
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

/** What the device can do and where its offset is set. Prefilled from its type. */
export function AbilityFields({ gear, onChange }: Props) {
  const able = (change: Partial<Abilities>) => void onChange({ able: { ...gear.able, ...change } });
  const { timecode, destinations } = gear.able;
  return (
    <details className="mt-4 text-sm">
      <summary className="cursor-pointer text-soft">Capabilities, offset</summary>
      <fieldset className="mt-2 flex flex-col gap-1">
        <legend className="text-xs text-soft">Capabilities</legend>
        {ABLE.map(([key, label]) => (
          <Check key={key} label={label} checked={gear.able[key]} onChange={() => able({ [key]: !gear.able[key] })} />
        ))}
      </fieldset>
      <fieldset className="mt-2 flex flex-wrap gap-x-4 gap-y-1">
        <legend className="text-xs text-soft">Timecode frame rates</legend>
        {RATES.map((rate) => (
          <Check
            key={rate}
            label={fps(rate)}
            checked={timecode.includes(rate)}
            onChange={() => able({ timecode: RATES.filter((one) => timecode.includes(one) !== (one === rate)) })}
          />
        ))}
      </fieldset>
      <fieldset className="mt-3">
        <legend className="sr-only">Clock destinations</legend>
        <Field label="Clock destinations">
          {(id) => (
            <Select
              id={id}
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
      </fieldset>
      <OffsetFields gear={gear} onChange={onChange} />
      <div className="mt-3 flex flex-col items-start gap-1">
        <Button onClick={() => void onChange({ changedAt: Date.now() })}>Session changed</Button>
        <p className="text-xs text-soft">
          {gear.changedAt === undefined
            ? 'After a change of plugins, buffer or sample rate: marks earlier measurements as out of date.'
            : `Measurements from before ${dayAndTime(gear.changedAt)} are out of date.`}
        </p>
      </div>
    </details>
  );
}

/** Where the offset is set; for a device with its own setting, its value, unit, sign and step. */
function OffsetFields({ gear, onChange }: Props) {
  const offset = (change: Partial<OffsetPlace>) => void onChange({ offset: { ...gear.offset, ...change } });
  return (
    <fieldset className="mt-3 grid grid-cols-2 gap-3">
      <legend className="mb-1 text-xs text-soft">Offset</legend>
      <Field label="Offset set in">
        {(id) => (
          <Select
            id={id}
            value={gear.offset.where}
            onChange={({ target }) => offset({ where: target.value as OffsetPlace['where'] })}
          >
            <option value="hub">hub</option>
            <option value="own">device</option>
          </Select>
        )}
      </Field>
      {gear.offset.where === 'own' && (
        <>
          <NumberField
            label="Device offset"
            value={gear.offset.own}
            step={gear.offset.step || 'any'}
            onSave={(own) => offset({ own })}
          />
          <Field label="Unit and sign">
            {(id) => (
              <Select
                id={id}
                value={`${gear.offset.unit} ${gear.offset.plusIs}`}
                onChange={({ target }) => {
                  const [unit, plusIs] = target.value.split(' ') as [OffsetPlace['unit'], OffsetPlace['plusIs']];
                  offset({ unit, plusIs });
                }}
              >
                {(['ms', 'samples', 'ticks'] as const).flatMap((unit) =>
                  (['later', 'earlier'] as const).map((plusIs) => (
                    <option key={unit + plusIs} value={`${unit} ${plusIs}`}>
                      {unit}, + is {plusIs}
                    </option>
                  )),
                )}
              </Select>
            )}
          </Field>
          <NumberField
            label="Offset step"
            value={gear.offset.step}
            min={0}
            step="any"
            onSave={(step) => step >= 0 && step <= 1000 && offset({ step })}
          />
        </>
      )}
    </fieldset>
  );
}

/** Saved on leaving the field, if it holds a number. */
function NumberField({
  label,
  value,
  onSave,
  ...limits
}: {
  label: string;
  value: number;
  min?: number;
  step: number | 'any';
  onSave: (value: number) => void;
}) {
  return (
    <Field label={label}>
      {(id) => (
        <input
          id={id}
          type="number"
          {...limits}
          key={value}
          defaultValue={value}
          className="border border-rule px-2 py-1.5"
          onBlur={({ target }) => {
            if (Number.isFinite(target.valueAsNumber)) onSave(target.valueAsNumber);
          }}
        />
      )}
    </Field>
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
