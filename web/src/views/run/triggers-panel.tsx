import { TRIGGER_STEPS, type TriggerMessage, type TriggerStep } from '@metronomo/core';
import { Plus, X } from 'lucide-react';
import { changeRig } from '../../studio/rig';
import { Button } from '../../parts/button';
import type { Gear, Rig, Trigger } from '../../store/records';

const STEP_WORDS: Readonly<Record<string, string>> = {
  bar: 'every bar',
  4: 'every whole note',
  2: 'every half note',
  1: 'every quarter note',
  0.5: 'every 8th note',
  0.25: 'every 16th note',
  0.125: 'every 32nd note',
  0.0625: 'every 64th note',
  off: 'off',
};
const KINDS = { note: 'note', controller: 'control change', steps: 'step counter' } as const;
const SET: TriggerMessage = { kind: 'controller', channel: 1, controller: 20, value: 127 };

/** Notes, control changes and step counters sent in time with the song, for lights and visuals. */
export function TriggersPanel({ rig }: { rig: Rig }) {
  const withPort = rig.gear.filter(({ portId }) => portId !== null);
  const all = withPort.flatMap((gear) => gear.triggers.map((trigger) => ({ gear, trigger })));
  const change = (gearId: string, make: (before: Trigger[]) => Trigger[]) =>
    void changeRig((before) => ({
      ...before,
      gear: before.gear.map((one) => (one.id === gearId ? { ...one, triggers: make(one.triggers) } : one)),
    }));
  const add = (gear: Gear) =>
    change(gear.id, (before) => [
      ...before,
      {
        id: crypto.randomUUID(),
        every: 1,
        sends: { kind: 'note', channel: 1, note: 60, velocity: 100 },
        inSections: {},
      },
    ]);
  return (
    <div className="flex flex-col gap-3 p-4 text-sm">
      {all.length === 0 && (
        <p className="text-soft">
          No beat triggers yet. A beat trigger sends a note, a control change or a step counter in time with the song,
          for lights, visuals or slicers.
        </p>
      )}
      {all.map(({ gear, trigger }, i) => (
        <TriggerFields
          key={trigger.id}
          name={`Trigger ${i + 1}`}
          gear={gear}
          trigger={trigger}
          rig={rig}
          onChange={(next) => change(gear.id, (before) => before.map((one) => (one.id === trigger.id ? next : one)))}
          onRemove={() => change(gear.id, (before) => before.filter(({ id }) => id !== trigger.id))}
        />
      ))}
      {withPort.length === 0 ? (
        <p className="text-soft">No device has an output port yet. Choose one in Rig.</p>
      ) : (
        <label className="inline-flex items-center gap-2">
          <Plus size={14} aria-hidden /> Add trigger for
          <select
            aria-label="Add trigger for"
            value=""
            className="border border-rule px-1.5 py-1"
            onChange={({ target }) => {
              const gear = withPort.find(({ id }) => id === target.value);
              if (gear) add(gear);
            }}
          >
            <option value="">choose a device</option>
            {withPort.map(({ id, name }) => (
              <option key={id} value={id}>
                {name}
              </option>
            ))}
          </select>
        </label>
      )}
    </div>
  );
}

function TriggerFields({
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
  const { every, sends, inSections, slowsBelowBpm = 0, atStart, atStop } = trigger;
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
    if (kind === 'steps') onChange({ ...trigger, sends: { kind, channel, controller: 20, count: 8 } });
  };
  const toggle = (key: 'atStart' | 'atStop', value: number) => {
    const { [key]: was, ...rest } = trigger;
    onChange(was ? rest : { ...trigger, [key]: { ...SET, channel: sends.channel, value } });
  };
  return (
    <fieldset className="border border-rule p-2.5">
      <legend className="flex items-center gap-2 px-1">
        <b>{gear.name}</b>
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
      <div className="mt-2 flex flex-wrap gap-x-5">
        <Toggle label="CC 20 = 127 on start" checked={Boolean(atStart)} onChange={() => toggle('atStart', 127)} />
        <Toggle label="CC 20 = 0 on stop" checked={Boolean(atStop)} onChange={() => toggle('atStop', 0)} />
      </div>
    </fieldset>
  );
}

function StepSelect({
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

function NumberInput({
  name,
  value,
  least,
  most,
  onSave,
}: {
  name: string;
  value: number;
  least: number;
  most: number;
  onSave: (value: number) => void;
}) {
  return (
    <input
      type="number"
      aria-label={name}
      key={value}
      defaultValue={value}
      min={least}
      max={most}
      className="w-16 border border-rule px-1.5 py-1"
      onBlur={({ target }) => {
        const next = target.valueAsNumber;
        if (Number.isInteger(next) && next >= least && next <= most && next !== value) onSave(next);
        else target.value = String(value);
      }}
    />
  );
}

function Toggle({ label, checked, onChange }: { label: string; checked: boolean; onChange: () => void }) {
  return (
    <label className="inline-flex items-center gap-1.5">
      <input type="checkbox" className="accent-[var(--ink)]" checked={checked} onChange={onChange} />
      {label}
    </label>
  );
}
