import type { PatchNumber } from '../store/records';

/** `12`, or `130/12` with its bank; empty for none. */
export function PatchInput({
  name,
  value,
  onSave,
}: {
  name: string;
  value: PatchNumber | null;
  onSave: (to: PatchNumber | null) => void;
}) {
  const text = value ? `${value.bank === null ? '' : `${value.bank}/`}${value.program}` : '';
  return (
    <input
      aria-label={name}
      key={text}
      defaultValue={text}
      maxLength={9}
      placeholder="—"
      title="Program, or bank/program"
      className="w-16 border border-rule px-1.5 py-1"
      onKeyDown={({ key, currentTarget }) => key === 'Enter' && currentTarget.blur()}
      onBlur={({ target }) => {
        const read = readPatch(target.value);
        if (read === undefined) target.value = text;
        else if (target.value.trim() !== text) onSave(read);
      }}
    />
  );
}

/** Null for an empty field; undefined for anything that is no patch. */
export function readPatch(text: string): PatchNumber | null | undefined {
  if (text.trim() === '') return null;
  const [, bank, program] = /^\s*(?:(\d{1,5})\s*\/\s*)?(\d{1,3})\s*$/.exec(text) ?? [];
  if (program === undefined || Number(program) > 127 || Number(bank ?? 0) > 16_383) return undefined;
  return { program: Number(program), bank: bank === undefined ? null : Number(bank) };
}
