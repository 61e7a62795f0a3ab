import { STANDING_CODES, type StandingCode } from '@metronomo/core';
import { Check } from '../../parts/check';
import { Group } from '../../parts/layer';
import { ChoiceField } from '../../parts/field';
import type { Gear } from '../../store/records';

const STANDING_WORDS: Readonly<Record<StandingCode, string>> = {
  once: 'one full frame',
  fullFrames: 'full frames, repeated',
  quarterFrames: 'quarter frames',
};
const AFTER_STOP = [
  ['stay', 'stay'],
  ['toStart', 'return to start'],
  ['runOn', 'run on'],
] as const;

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
        <ChoiceField
          label="Code while stopped"
          hint="For a device that doesn’t show a full frame."
          value={standingCode}
          options={STANDING_CODES.map((one) => [one, STANDING_WORDS[one]] as const)}
          onChoose={(code) => void onChange({ standingCode: code })}
        />
      )}
      {(byCode || mmc) && (
        <ChoiceField
          label="Position after a stop"
          hint="Where the device goes then."
          value={afterStop}
          options={AFTER_STOP}
          onChoose={(to) => void onChange({ afterStop: to })}
        />
      )}
    </>
  );
}
