import { STANDING_CODES, type StandingCode } from '@metronomo/core';
import { Check } from '../../parts/check';
import { Group } from '../../parts/layer';
import { Field, Select } from '../../parts/field';
import type { Gear } from '../../store/records';

const STANDING_WORDS: Readonly<Record<StandingCode, string>> = {
  once: 'one full frame',
  fullFrames: 'full frames, repeated',
  quarterFrames: 'quarter frames',
};
const AFTER_STOP = { stay: 'stay', toStart: 'return to start', runOn: 'run on' } as const;

/** How machine control and timecode treat a device that is stopped, and whether it may record. */
export function MachineFields({
  gear,
  onChange,
}: {
  gear: Gear;
  onChange: (change: Partial<Gear>) => Promise<string | null>;
}) {
  const { mmc, syncsTo, mayRecord = false, pauses = false, standingCode = 'once', afterStop = 'stay' } = gear;
  const byCode = syncsTo === 'timecode';
  return (
    <>
      {mmc && (
        <Group name="Machine control" about="Recording is armed only on devices that may record.">
          <div className="mt-1 flex flex-wrap gap-x-5 gap-y-1">
            <Check label="May record" checked={mayRecord} onChange={() => void onChange({ mayRecord: !mayRecord })} />
            <Check label="Pause instead of stop" checked={pauses} onChange={() => void onChange({ pauses: !pauses })} />
          </div>
        </Group>
      )}
      {byCode && (
        <Field label="Code while stopped" hint="For a device that doesn’t show a full frame.">
          {(id, describedBy) => (
            <Select
              id={id}
              aria-describedby={describedBy}
              value={standingCode}
              onChange={({ target }) => void onChange({ standingCode: target.value as StandingCode })}
            >
              {STANDING_CODES.map((one) => (
                <option key={one} value={one}>
                  {STANDING_WORDS[one]}
                </option>
              ))}
            </Select>
          )}
        </Field>
      )}
      {(byCode || mmc) && (
        <Field label="Position after a stop" hint="Where the device goes then.">
          {(id, describedBy) => (
            <Select
              id={id}
              aria-describedby={describedBy}
              value={afterStop}
              onChange={({ target }) => void onChange({ afterStop: target.value as NonNullable<Gear['afterStop']> })}
            >
              {Object.entries(AFTER_STOP).map(([key, words]) => (
                <option key={key} value={key}>
                  {words}
                </option>
              ))}
            </Select>
          )}
        </Field>
      )}
    </>
  );
}
