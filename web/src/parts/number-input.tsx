/** A whole number, saved on leaving the field; what is out of range is reverted. */
export function NumberInput({
  name,
  value,
  least,
  most,
  onSave,
}: {
  name: string;
  value: number;
  least: number;
  most: number;
  onSave: (value: number) => void;
}) {
  return (
    <input
      type="number"
      aria-label={name}
      key={value}
      defaultValue={value}
      min={least}
      max={most}
      className="w-16 border border-rule px-1.5 py-1"
      onBlur={({ target }) => {
        const next = target.valueAsNumber;
        if (Number.isInteger(next) && next >= least && next <= most && next !== value) onSave(next);
        else target.value = String(value);
      }}
    />
  );
}
