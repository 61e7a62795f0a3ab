import { Button } from '../../parts/button';
import { Field, Select } from '../../parts/field';
import { Notice } from '../../parts/notice';

/** Duration of a measurement. */
export function LengthField({
  label,
  hint,
  lengths,
  seconds,
  onChange,
}: {
  label: string;
  hint?: string;
  lengths: readonly (readonly [seconds: number, word: string])[];
  seconds: number;
  onChange: (seconds: number) => void;
}) {
  return (
    <Field label={label} {...(hint && { hint })}>
      {(id) => (
        <Select id={id} value={seconds} onChange={({ target }) => onChange(Number(target.value))}>
          {lengths.map(([length, word]) => (
            <option key={length} value={length}>
              {word}
            </option>
          ))}
        </Select>
      )}
    </Field>
  );
}

/** Start button, or progress with a button to finish early; and what went wrong. */
export function ListenControls({
  begin,
  busy = false,
  progress,
  problem,
  onBegin,
  onEnd,
}: {
  /** Label of the start button. */
  begin: string;
  busy?: boolean;
  /** Progress text during the measurement. */
  progress: string | null;
  problem: string | null;
  onBegin: () => void;
  onEnd: () => void;
}) {
  return (
    <>
      {progress === null ? (
        <Button tone="strong" disabled={busy} onClick={onBegin}>
          {begin}
        </Button>
      ) : (
        <>
          <p className="text-sm" role="status">
            {progress}
          </p>
          <Button onClick={onEnd}>Finish early</Button>
        </>
      )}
      {problem !== null && <Notice>{problem}</Notice>}
    </>
  );
}
