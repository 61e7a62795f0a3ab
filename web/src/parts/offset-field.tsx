import { parseDuration } from '@metronomo/core';
import { useState } from 'react';
import { MAX_OFFSET_MS } from '@metronomo/core';
import { signed } from './words';

interface Props {
  label: string;
  valueMs: number;
  bpm: number;
  sampleRate?: number;
  onChange: (ms: number) => void;
}

/** An offset in any unit; typed values apply on Enter or on leaving the field, so none is lost half-typed. */
export function OffsetField({ label, valueMs, bpm, sampleRate = 48_000, onChange }: Props) {
  const [draft, setDraft] = useState<string | null>(null);
  const parsed = draft === null ? null : parseDuration(draft, { sampleRate, bpm, rate: '25' });
  const invalid = draft !== null && (parsed === null || Math.abs(parsed) > MAX_OFFSET_MS);
  const settle = () => {
    if (parsed !== null && !invalid && parsed !== valueMs) onChange(parsed);
    setDraft(null);
  };
  return (
    <input
      aria-label={label}
      aria-invalid={invalid}
      title="Offset in ms, or with a unit: 590 smp, 1/2 tick, 2 fr. Minus is earlier."
      className="w-20 border border-ink px-2 py-1 text-right text-sm aria-invalid:border-wrong"
      value={draft ?? signed(valueMs)}
      onChange={(event) => setDraft(event.target.value.slice(0, 24))}
      onFocus={(event) => event.target.select()}
      onBlur={settle}
      onKeyDown={(event) => {
        if (event.key === 'Enter') settle();
        if (event.key === 'Escape') setDraft(null);
      }}
    />
  );
}
