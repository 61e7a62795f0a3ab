import { useState } from 'react';
import { Button } from '../../parts/button';
import { COMMON_LIMITS, setLimits, useLimits, type Limits } from '../../parts/limits';

const NAMES: [keyof Limits, string][] = [
  ['tightMs', 'Tight, up to'],
  ['playingMs', 'Playable, under'],
  ['audibleMs', 'Audible, under'],
  ['cuesMs', 'Good for cues, up to'],
];

/** Limits of the verdicts; common practice until changed. */
export function LimitsForm() {
  const limits = useLimits();
  const [wrong, setWrong] = useState(false);
  return (
    <details className="text-sm">
      <summary className="cursor-pointer text-soft hover:text-ink">Verdict limits, ms</summary>
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
        {wrong && <p className="text-wrong">Not saved. Each limit must be higher than the one above.</p>}
        <p className="text-xs text-soft">
          Rule of thumb: within 2 ms, two clicks sound like one; at 10 ms most players hear a flam; at 20 ms everyone
          does. Anything beyond “audible” is out of time.
        </p>
        <Button
          onClick={() => {
            useLimits.setState(COMMON_LIMITS);
            setWrong(false);
          }}
        >
          Reset to defaults
        </Button>
      </div>
    </details>
  );
}
