import { TRIGGER_STEPS, type TriggerStep } from '@metronomo/core';

const STEP_WORDS: Readonly<Record<string, string>> = {
  bar: 'every bar',
  4: 'every whole note',
  2: 'every half note',
  1: 'every quarter note',
  0.5: 'every 8th note, 12 ticks',
  0.25: 'every 16th note, 6 ticks',
  0.125: 'every 32nd note, 3 ticks',
  0.0625: 'every 64th note',
  off: 'off',
};

/** How often a trigger fires. */
export function StepSelect({
  name,
  value,
  own,
  withOff = false,
  onChoose,
}: {
  name: string;
  value: TriggerStep | 'off' | '';
  own?: string;
  withOff?: boolean;
  onChoose: (step: TriggerStep | 'off' | '') => void;
}) {
  const read = (text: string) =>
    text === '' || text === 'off' || text === 'bar' ? text : (Number(text) as TriggerStep);
  return (
    <select
      aria-label={name}
      value={String(value)}
      className="border border-rule px-1.5 py-1 text-sm text-ink"
      onChange={({ target }) => onChoose(read(target.value))}
    >
      {own && <option value="">{own}</option>}
      {withOff && <option value="off">off</option>}
      {TRIGGER_STEPS.map((step) => (
        <option key={step} value={String(step)}>
          {STEP_WORDS[String(step)]}
        </option>
      ))}
    </select>
  );
}
