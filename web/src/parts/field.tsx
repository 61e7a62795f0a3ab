import { useId, type ReactNode, type SelectHTMLAttributes } from 'react';

/** A label above its control, and a line below; the control receives its id, and what describes it. */
export function Field({
  label,
  children,
  hint,
}: {
  label: string;
  hint?: string;
  children: (id: string, describedBy?: string) => ReactNode;
}) {
  const id = useId();
  const hintId = `${id}-hint`;
  return (
    <div className="flex flex-col gap-1">
      <label htmlFor={id} className="text-xs text-soft">
        {label}
      </label>
      {children(id, hint === undefined ? undefined : hintId)}
      {hint !== undefined && (
        <p id={hintId} className="text-xs text-soft">
          {hint}
        </p>
      )}
    </div>
  );
}

export function Select(props: SelectHTMLAttributes<HTMLSelectElement>) {
  return <select className="w-full border border-rule px-2 py-1.5 text-sm hover:border-ink" {...props} />;
}

/** A choice among a few, each with its words. */
export function ChoiceField<Value extends string | number>({
  label,
  hint,
  value,
  options,
  onChoose,
}: {
  label: string;
  hint?: string;
  value: Value;
  options: readonly (readonly [Value, string])[];
  onChoose: (value: Value) => void;
}) {
  return (
    <Field label={label} {...(hint !== undefined && { hint })}>
      {(id, describedBy) => (
        <Select
          id={id}
          aria-describedby={describedBy}
          value={value}
          onChange={({ target }) => {
            const chosen = options[target.selectedIndex];
            if (chosen) onChoose(chosen[0]);
          }}
        >
          {options.map(([option, words]) => (
            <option key={option} value={option}>
              {words}
            </option>
          ))}
        </Select>
      )}
    </Field>
  );
}
