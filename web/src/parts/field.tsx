import { useId, type ReactNode, type SelectHTMLAttributes } from 'react';

/** A label above its control; the control receives the id. */
export function Field({
  label,
  children,
  hint,
}: {
  label: string;
  hint?: string;
  children: (id: string) => ReactNode;
}) {
  const id = useId();
  return (
    <div className="flex flex-col gap-1">
      <label htmlFor={id} className="text-xs text-soft">
        {label}
      </label>
      {children(id)}
      {hint && <p className="text-xs text-soft">{hint}</p>}
    </div>
  );
}

export function Select(props: SelectHTMLAttributes<HTMLSelectElement>) {
  return <select className="w-full border border-rule px-2 py-1.5 text-sm hover:border-ink" {...props} />;
}
