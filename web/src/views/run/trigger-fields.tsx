import type { TriggerStep } from '@metronomo/core';
import { X } from 'lucide-react';
import { Button } from '../../parts/button';
import { Check } from '../../parts/check';
import type { Gear, Rig, Trigger } from '../../store/records';
import { EdgeMessages } from './edge-messages';
import { NumberInput } from '../../parts/number-input';
import { StepSelect } from './step-select';

const KINDS = {
  note: 'note',
  controller: 'control change',
  program: 'program change',
  steps: 'step counter',
} as const;
/** Below this, changes on the beat are far apart (common practice). */
const SLOW_BPM = 80;

/** One beat trigger: when it fires, what it sends, and what it sends as the device starts and stops. */
export function TriggerFields({
  name,
  gear,
  trigger,
  rig,
  onChange,
  onRemove,
}: {
  name: string;
  gear: Gear;
  trigger: Trigger;
  rig: Rig;
  onChange: (next: Trigger) => void;
  onRemove: () => void;
}) {
  const { every, sends, inSections, slowsBelowBpm = 0, offBelowBpm = 0, fill, off = false } = trigger;
  const number = (key: string, least: number, most: number) => (
    <NumberInput
      name={`${name}: ${key}`}
      value={(sends as unknown as Record<string, number>)[key] ?? 0}
      least={least}
      most={most}
      onSave={(value) => onChange({ ...trigger, sends: { ...sends, [key]: value } })}
    />
  );
  const sendKind = (kind: string) => {
    const { channel } = sends;
    if (kind === 'note') onChange({ ...trigger, sends: { kind, channel, note: 60, velocity: 100 } });
    if (kind === 'controller') onChange({ ...trigger, sends: { kind, channel, controller: 20, value: 127 } });
    if (kind === 'program') onChange({ ...trigger, sends: { kind, channel, program: 0 } });
    if (kind === 'steps') onChange({ ...trigger, sends: { kind, channel, controller: 20, count: 8 } });
  };
  const slowest = slowestBpm(rig);
  return (
    <fieldset className="border border-rule p-2.5">
      <legend className="flex items-center gap-2 px-1">
        <b>{gear.name}</b>
        <Check label={`${name} on`} checked={!off} onChange={() => onChange({ ...trigger, off: !off })} />
        <Button tone="quiet" className="!px-1 !py-0" aria-label={`Remove ${name}`} onClick={onRemove}>
          <X size={14} aria-hidden />
        </Button>
      </legend>
      <div className="flex flex-wrap items-center gap-2">
        <StepSelect
          name={`${name}: rate`}
          value={every}
          onChoose={(step) => onChange({ ...trigger, every: step as TriggerStep })}
        />
        <select
          aria-label={`${name}: message`}
          value={sends.kind}
          className="border border-rule px-1.5 py-1"
          onChange={({ target }) => sendKind(target.value)}
        >
          {Object.entries(KINDS).map(([kind, word]) => (
            <option key={kind} value={kind}>
              {word}
            </option>
          ))}
        </select>
        channel {number('channel', 1, 16)}
        {sends.kind === 'note' ? (
          <>
            note {number('note', 0, 127)} velocity {number('velocity', 1, 127)}
          </>
        ) : sends.kind === 'program' ? (
          <>program {number('program', 0, 127)}</>
        ) : (
          <>controller {number('controller', 0, 127)}</>
        )}
        {sends.kind === 'controller' && <>value {number('value', 0, 127)}</>}
        {sends.kind === 'steps' && <>number of steps (from 0): {number('count', 2, 128)}</>}
        <label className="inline-flex items-center gap-1.5">
          half rate below{' '}
          <NumberInput
            name={`${name}: half rate below, BPM`}
            value={slowsBelowBpm}
            least={0}
            most={300}
            onSave={(value) => onChange({ ...trigger, slowsBelowBpm: value })}
          />
          BPM
        </label>
        <label className="inline-flex items-center gap-1.5">
          off below{' '}
          <NumberInput
            name={`${name}: off below, BPM`}
            value={offBelowBpm}
            least={0}
            most={300}
            onSave={(value) => onChange({ ...trigger, offBelowBpm: value })}
          />
          BPM
        </label>
        {slowest < SLOW_BPM && slowsBelowBpm === 0 && offBelowBpm === 0 && (
          <Button
            tone="quiet"
            className="!px-1"
            onClick={() => onChange({ ...trigger, slowsBelowBpm: SLOW_BPM })}
            title={`Half rate below ${SLOW_BPM} BPM`}
          >
            Slow song: half rate
          </Button>
        )}
      </div>
      {rig.song.sections.length > 0 && (
        <div className="mt-2 flex flex-wrap items-center gap-2 text-xs text-soft">
          {rig.song.tempoFrom === 'hand' && 'Per section, once song sections are in use: '}
          {rig.song.sections.map((section, i) => (
            <label key={i} className="inline-flex items-center gap-1">
              {section.name}
              <StepSelect
                name={`${name} in ${section.name}`}
                value={inSections[i] ?? ''}
                own="as above"
                withOff
                onChoose={(step) => {
                  const others = Object.entries(inSections).filter(([index]) => index !== String(i));
                  const own = step === '' ? [] : [[String(i), step] as const];
                  onChange({ ...trigger, inSections: Object.fromEntries([...others, ...own]) });
                }}
              />
            </label>
          ))}
        </div>
      )}
      <div className="mt-2 flex flex-wrap items-center gap-x-5 gap-y-1">
        <label className="inline-flex items-center gap-1.5">
          Fill{' '}
          <StepSelect
            name={`${name}: fill rate`}
            value={fill ?? ''}
            own="none"
            onChoose={(step) => onChange({ ...trigger, fill: step === '' || step === 'off' ? null : step })}
          />
        </label>
        <EdgeMessages name={name} edge="atStart" trigger={trigger} onChange={onChange} />
        <EdgeMessages name={name} edge="atStop" trigger={trigger} onChange={onChange} />
      </div>
    </fieldset>
  );
}

/** The slowest tempo of the song. */
function slowestBpm({ song: { sections, tempoFrom }, bpm }: Rig): number {
  if (tempoFrom === 'hand' || sections.length === 0) return bpm;
  return Math.min(...sections.flatMap((section) => [section.bpm, section.toBpm ?? section.bpm]));
}
