export function Check({ label, checked, onChange }: { label: string; checked: boolean; onChange: () => void }) {
  return (
    <label className="inline-flex items-center gap-1.5">
      <input type="checkbox" checked={checked} onChange={onChange} className="accent-[var(--ink)]" />
      {label}
    </label>
  );
}
