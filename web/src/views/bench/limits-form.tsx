import { useState } from 'react';
import { Button } from '../../parts/button';
import { COMMON_LIMITS, setLimits, useLimits, type Limits } from '../../parts/limits';

const NAMES: [keyof Limits, string][] = [
  ['tightMs', 'tight, up to'],
  ['playingMs', 'fit for playing along, under'],
  ['audibleMs', 'audible, under; unfit from there'],
  ['cuesMs', 'chases well enough for cues, up to'],
];

/** From where on the Bench says what; by common practice, as long as nobody sets it otherwise. */
export function LimitsForm() {
  const limits = useLimits();
  const [wrong, setWrong] = useState(false);
  return (
    <details className="text-sm">
      <summary className="cursor-pointer text-soft hover:text-ink">What the verdicts mean, in ms</summary>
      <div className="mt-2 flex flex-col gap-2">
        {NAMES.map(([key, name]) => (
          <label key={`${key} ${limits[key]}`} className="flex items-center gap-2">
            <span className="flex-1">{name}</span>
            <input
              type="number"
              min={0.1}
              step={0.5}
              defaultValue={limits[key]}
              className="w-16 border border-rule px-1.5 py-1 text-right hover:border-ink"
              onBlur={({ target }) => setWrong(!setLimits({ ...limits, [key]: Number(target.value) }))}
              onKeyDown={({ key: pressed, currentTarget }) => {
                if (pressed === 'Enter') currentTarget.blur();
              }}
            />
          </label>
        ))}
        {wrong && <p className="text-wrong">Each must be more than the one before. The old ones stay.</p>}
        <p className="text-xs text-soft">
          Common practice: two clicks within 2 ms are heard as one, by 10 ms most players hear a flam, by 20 anybody
          does.
        </p>
        <Button
          onClick={() => {
            useLimits.setState(COMMON_LIMITS);
            setWrong(false);
          }}
        >
          Common practice again
        </Button>
      </div>
    </details>
  );
}
