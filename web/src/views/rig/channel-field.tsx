import { Field, Select } from '../../parts/field';

/** One of the sixteen MIDI channels. */
export function ChannelField({
  label,
  hint,
  value,
  onChoose,
}: {
  label: string;
  hint: string;
  value: number;
  onChoose: (channel: number) => void;
}) {
  return (
    <Field label={label} hint={hint}>
      {(id, describedBy) => (
        <Select
          id={id}
          aria-describedby={describedBy}
          value={value}
          onChange={({ target }) => onChoose(Number(target.value))}
        >
          {Array.from({ length: 16 }, (_, i) => (
            <option key={i} value={i + 1}>
              {i + 1}
            </option>
          ))}
        </Select>
      )}
    </Field>
  );
}
