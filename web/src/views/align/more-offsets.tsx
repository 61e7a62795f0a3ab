import { X } from 'lucide-react';
import type { ReactNode } from 'react';
import type { OffsetAdvice } from '../../align/device-offsets';
import { InlineSelect } from '../../parts/inline-select';
import { latenessText } from '../../parts/words';
import { Button } from '../../parts/button';
import type { DeviceOffset, Gear, Rig } from '../../store/records';
import {
  MAX_DEVICE_OFFSETS,
  MAX_OFFSET_STEP,
  MAX_OWN_OFFSET,
  newDeviceOffset,
  withDeviceOffset,
} from '../../store/device-offsets';
import { offsetName } from '../../parts/device-offset-words';
import { howToMeasure, shown, valueText, whatIsLate } from './own-offset-words';

const RATES = [44_100, 48_000, 88_200, 96_000];
const DEPENDS_ON: readonly (readonly [DeviceOffset['dependsOn'], string])[] = [
  ['nothing', 'nothing else'],
  ['buffer', 'audio buffer'],
  ['plugins', 'plugins'],
  ['sampleRate', 'sample rate'],
];

interface Props {
  gear: Gear;
  rig: Rig;
  advice: readonly OffsetAdvice[];
  onChange: (next: (gear: Gear) => Partial<Gear>) => void;
}

/** A device's offsets for what it sends and plays, each with the value to enter, and a choice that adds one. */
export function MoreOffsets({ gear, rig, advice, onChange }: Props) {
  const followers = rig.gear.filter(({ id }) => id !== gear.id);
  const add = (key: string) => {
    const [shifts, to] = key.split(' ') as [DeviceOffset['shifts'], string | undefined];
    onChange((now) => ({
      moreOffsets: [
        ...(now.moreOffsets ?? []),
        newDeviceOffset(now, crypto.randomUUID(), { shifts, ...(to !== undefined && { to }) }),
      ],
    }));
  };
  const taken = new Set(advice.map(({ field: { shifts, to } }) => (to === undefined ? shifts : `${shifts} ${to}`)));
  const free = [
    ['notes', 'notes'],
    ['audio', 'audio (delay)'],
    ...(gear.able.lead ? followers.map(({ id, name }) => [`clockOut ${id}`, `clock to ${name}`] as const) : []),
  ].filter(([key]) => !taken.has(key ?? ''));
  return (
    <>
      {advice.map((one) => (
        <OneOffset key={one.field.id} gear={gear} rig={rig} advice={one} onChange={onChange} />
      ))}
      {advice.length < MAX_DEVICE_OFFSETS && free.length > 0 && (
        <InlineSelect
          name={`Add an offset of ${gear.name}`}
          className="self-start"
          value=""
          options={[['', 'Add offset for …'], ...(free as [string, string][])]}
          onChoose={(key) => key !== '' && add(key)}
        />
      )}
    </>
  );
}

function OneOffset({ gear, rig, advice, onChange }: Omit<Props, 'advice'> & { advice: OffsetAdvice }) {
  const { field, toEnter } = advice;
  const what = offsetName(field, rig);
  const change = (next: Partial<DeviceOffset>) => onChange((now) => withDeviceOffset(now, field.id, next, Date.now()));
  return (
    <section
      aria-label={`Offset for ${what} of ${gear.name}`}
      className="flex flex-col gap-2 border-t border-rule pt-2"
    >
      <div className="flex items-center gap-2">
        <b className="flex-1">Offset for {what}</b>
        <button
          type="button"
          aria-label={`Remove offset for ${what} of ${gear.name}`}
          className="flex size-6 items-center justify-center hover:bg-wash"
          onClick={() =>
            onChange((now) => ({ moreOffsets: (now.moreOffsets ?? []).filter(({ id }) => id !== field.id) }))
          }
        >
          <X size={14} aria-hidden />
        </button>
      </div>
      {toEnter === null ? (
        <p className="text-soft">{howToMeasure(field, gear, rig)}</p>
      ) : (
        <>
          <p>
            {toEnter.value === field.own ? 'Keep' : 'Enter'}{' '}
            <b className="text-lg leading-tight">{valueText(toEnter.value, field.unit)}</b>{' '}
            <span className="text-soft">
              {whatIsLate(advice, gear, rig)}
              {Math.abs(toEnter.leftMs) >= 0.05 && ` The device’s step size leaves it ${latenessText(toEnter.leftMs)}.`}
            </span>
          </p>
          {toEnter.value !== field.own && (
            <Button className="self-start" onClick={() => change({ own: toEnter.value })}>
              Entered
            </Button>
          )}
        </>
      )}
      <Settings name={`${what} of ${gear.name}`} field={field} onChange={change} />
    </section>
  );
}

function Settings({
  name,
  field,
  onChange,
}: {
  name: string;
  field: DeviceOffset;
  onChange: (next: Partial<DeviceOffset>) => void;
}) {
  const { own, unit, plusIs, step, sampleRate = 48_000, dependsOn } = field;
  return (
    <div className="flex flex-wrap items-center gap-2 text-xs text-soft">
      <Pair label="set to">
        <Value name={`Value: ${name}`} value={own} least={-MAX_OWN_OFFSET} onSave={(own) => onChange({ own })} />
      </Pair>
      <InlineSelect
        name={`Unit: ${name}`}
        value={unit}
        options={(['ms', 'samples', 'ticks'] as const).map((one) => [one, one])}
        onChoose={(unit) => onChange({ unit: unit as DeviceOffset['unit'] })}
      />
      {unit === 'samples' && (
        <InlineSelect
          name={`Sample rate: ${name}`}
          value={String(sampleRate)}
          options={RATES.map((rate) => [String(rate), `${rate / 1000} kHz`])}
          onChoose={(rate) => onChange({ sampleRate: Number(rate) })}
        />
      )}
      <InlineSelect
        name={`Sign: ${name}`}
        value={plusIs}
        options={[
          ['later', '+ is later'],
          ['earlier', '+ is earlier'],
        ]}
        onChoose={(plusIs) => onChange({ plusIs: plusIs as DeviceOffset['plusIs'] })}
      />
      <Pair label="step">
        <Value
          name={`Step: ${name}`}
          value={step}
          least={0}
          most={MAX_OFFSET_STEP}
          onSave={(step) => onChange({ step })}
        />
      </Pair>
      <Pair label="depends on">
        <InlineSelect
          name={`Depends on: ${name}`}
          value={dependsOn}
          options={DEPENDS_ON}
          onChoose={(next) => onChange({ dependsOn: next as DeviceOffset['dependsOn'] })}
        />
      </Pair>
    </div>
  );
}

/** Words that stay beside their control. */
function Pair({ label, children }: { label: string; children: ReactNode }) {
  return (
    <span className="flex items-center gap-1.5 whitespace-nowrap">
      {label}
      {children}
    </span>
  );
}

/** A number, saved on leaving the field; what is out of range is reverted. */
function Value({
  name,
  value,
  least,
  most = MAX_OWN_OFFSET,
  onSave,
}: {
  name: string;
  value: number;
  least: number;
  most?: number;
  onSave: (value: number) => void;
}) {
  return (
    <input
      type="number"
      step="any"
      aria-label={name}
      key={value}
      defaultValue={shown(value)}
      className="w-16 border border-rule px-1.5 py-1 text-sm text-ink"
      onBlur={({ target }) => {
        const next = target.valueAsNumber;
        if (next >= least && next <= most && shown(next) !== shown(value)) onSave(next);
        else target.value = shown(value);
      }}
    />
  );
}
