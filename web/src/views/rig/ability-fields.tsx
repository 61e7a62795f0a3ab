import type { Abilities, FrameRate, OffsetPlace } from '@metronomo/core';
import { Field, Select } from '../../parts/field';
import type { Gear } from '../../store/records';
import { Check } from '../../parts/check';

interface Props {
  gear: Gear;
  onChange: (change: Partial<Gear>) => Promise<string | null>;
}

const ABLE = [
  ['lead', 'lead'],
  ['follow', 'follow'],
  ['clock', 'MIDI clock'],
  ['songPosition', 'song position'],
  ['startStop', 'start and stop with the clock'],
  ['mmc', 'MMC'],
  ['showsTempo', 'shows the tempo while it stands'],
  ['fromTopOnly', 'begins only from the top'],
  ['rearms', 'to be started again after its port was away'],
  ['turnsTempo', 'its player turns the tempo'],
] as const satisfies readonly (readonly [keyof Abilities, string])[];

const RATES: FrameRate[] = ['24', '25', '29.97df', '30'];

/** What gear is able to do, its own offset, and notes: what the shelf has filled in, to be set right. */
export function AbilityFields({ gear, onChange }: Props) {
  const able = (change: Partial<Abilities>) => void onChange({ able: { ...gear.able, ...change } });
  const offset = (change: Partial<OffsetPlace>) => void onChange({ offset: { ...gear.offset, ...change } });
  const { timecode, destinations } = gear.able;
  return (
    <details className="mt-4 text-sm">
      <summary className="cursor-pointer text-soft">What it is able to do, its own offset, notes</summary>
      <fieldset className="mt-2 flex flex-col gap-1">
        <legend className="text-xs text-soft">It is able to</legend>
        {ABLE.map(([key, label]) => (
          <Check key={key} label={label} checked={gear.able[key]} onChange={() => able({ [key]: !gear.able[key] })} />
        ))}
      </fieldset>
      <fieldset className="mt-2 flex flex-wrap gap-x-4 gap-y-1">
        <legend className="text-xs text-soft">Timecode, frames a second</legend>
        {RATES.map((rate) => (
          <Check
            key={rate}
            label={rate}
            checked={timecode.includes(rate)}
            onChange={() => able({ timecode: RATES.filter((one) => timecode.includes(one) !== (one === rate)) })}
          />
        ))}
      </fieldset>
      <div className="mt-3 grid grid-cols-2 gap-3">
        <Field label="Sends its clock to">
          {(id) => (
            <Select
              id={id}
              value={destinations ?? ''}
              onChange={({ target }) => able({ destinations: target.value === '' ? null : Number(target.value) })}
            >
              <option value="">any number</option>
              {[1, 2, 3, 4].map((count) => (
                <option key={count} value={count}>
                  {count === 1 ? 'one only' : `${count} at most`}
                </option>
              ))}
            </Select>
          )}
        </Field>
        <Field label="Hears notes on channel">
          {(id) => (
            <Select
              id={id}
              value={gear.set.channels[0] ?? 1}
              onChange={({ target }) => void onChange({ set: { ...gear.set, channels: [Number(target.value)] } })}
            >
              {Array.from({ length: 16 }, (_, i) => (
                <option key={i} value={i + 1}>
                  {i + 1}
                </option>
              ))}
            </Select>
          )}
        </Field>
        <Field label="Its offset is entered">
          {(id) => (
            <Select
              id={id}
              value={gear.offset.where}
              onChange={({ target }) => offset({ where: target.value as OffsetPlace['where'] })}
            >
              <option value="hub">in the hub</option>
              <option value="own">in its own menu</option>
            </Select>
          )}
        </Field>
        <Field label="in steps of">
          {(id) => (
            <input
              id={id}
              type="number"
              min={0}
              step="any"
              key={gear.offset.step}
              defaultValue={gear.offset.step}
              className="border border-rule px-2 py-1.5"
              onBlur={({ target }) => {
                const step = target.valueAsNumber;
                if (step >= 0 && step <= 1000) offset({ step });
              }}
            />
          )}
        </Field>
        <Field label="Offset in its own menu">
          {(id) => (
            <input
              id={id}
              type="number"
              step={gear.offset.step || 'any'}
              defaultValue={gear.offset.own}
              key={gear.offset.own}
              className="border border-rule px-2 py-1.5"
              onBlur={({ target }) => {
                if (Number.isFinite(target.valueAsNumber)) offset({ own: target.valueAsNumber });
              }}
            />
          )}
        </Field>
        <Field label="in">
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
                    {unit}, plus is {plusIs}
                  </option>
                )),
              )}
            </Select>
          )}
        </Field>
      </div>
      <Field label="Notes">
        {(id) => (
          <textarea
            id={id}
            key={gear.notes}
            defaultValue={gear.notes}
            maxLength={2000}
            rows={3}
            className="mt-1 w-full border border-rule bg-transparent px-2 py-1.5"
            onBlur={({ target }) => {
              if (target.value !== gear.notes) void onChange({ notes: target.value });
            }}
          />
        )}
      </Field>
    </details>
  );
}
