import type { OffsetPlace } from '@metronomo/core';
import { Button } from '../../parts/button';
import { dayAndTime } from '../../parts/dates';
import { Field, Select } from '../../parts/field';
import type { Gear } from '../../store/records';

interface Props {
  gear: Gear;
  onChange: (change: Partial<Gear>) => Promise<string | null>;
}

/** Where the offset is set; for a device with its own setting, its value, unit, sign and step. */
export function OffsetPlaceFields({ gear, onChange }: Props) {
  const offset = (change: Partial<OffsetPlace>) => void onChange({ offset: { ...gear.offset, ...change } });
  return (
    <>
      <Field label="Offset set in" hint="Here in the hub, or in the device.">
        {(id, describedBy) => (
          <Select
            id={id}
            aria-describedby={describedBy}
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
    </>
  );
}

/** Marks what was measured with the device before as out of date. */
export function SessionChanged({ gear, onChange }: Props) {
  return (
    <div className="col-span-2 flex flex-col items-start gap-1">
      <Button onClick={() => void onChange({ changedAt: Date.now() })}>Session changed</Button>
      <p className="text-xs text-soft">
        {gear.changedAt === undefined
          ? 'After a change of plugins, buffer or sample rate: marks earlier measurements as out of date.'
          : `Measurements from before ${dayAndTime(gear.changedAt)} are out of date.`}
      </p>
    </div>
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
