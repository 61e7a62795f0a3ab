import clsx from 'clsx';

/** A select without a visible label, named for screen readers. */
export function InlineSelect({
  name,
  value,
  options,
  onChoose,
  className,
}: {
  name: string;
  value: string;
  options: readonly (readonly [value: string, words: string])[];
  onChoose: (value: string) => void;
  className?: string;
}) {
  return (
    <select
      aria-label={name}
      value={value}
      className={clsx('border border-rule px-1 py-1 text-sm', className)}
      onChange={({ target }) => onChoose(target.value)}
    >
      {options.map(([key, words]) => (
        <option key={key} value={key}>
          {words}
        </option>
      ))}
    </select>
  );
}
