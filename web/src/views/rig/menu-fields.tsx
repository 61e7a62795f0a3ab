import type { FrameRate, MenuSettings } from '@metronomo/core';
import { ChoiceField } from '../../parts/field';
import { fps } from '../../words/numbers';
import type { Gear } from '../../store/records';
import { Check } from '../../parts/check';
import { Group } from '../../parts/layer';
import { ChannelField } from './channel-field';

interface Props {
  gear: Gear;
  onChange: (change: Partial<Gear>) => Promise<string | null>;
}

const SWITCHES = [
  ['clockIn', 'Receive clock'],
  ['clockOut', 'Send clock'],
  ['thru', 'MIDI thru on OUT'],
  ['local', 'Local control'],
] as const satisfies readonly (readonly [keyof MenuSettings, string])[];

const SYNCS_TO = [
  ['clock', 'MIDI clock'],
  ['timecode', 'timecode'],
  ['nothing', 'nothing'],
] as const;
const RATES = (['24', '25', '29.97df', '30'] as const).map((rate: FrameRate) => [rate, fps(rate)] as const);
const CLOCK_SOURCES = [
  ['external', 'external'],
  ['automatic', 'automatic'],
  ['internal', 'internal'],
] as const;

/** What the device syncs to, with the frame rate of its timecode. */
export function SyncFields({ gear, onChange }: Props) {
  return (
    <>
      <ChoiceField
        label="Syncs to"
        value={gear.syncsTo}
        options={SYNCS_TO}
        onChoose={(syncsTo) => void onChange({ syncsTo })}
      />
      {gear.syncsTo === 'timecode' && (
        <ChoiceField
          label="Frame rate"
          value={gear.rate}
          options={RATES}
          onChoose={(rate) => void onChange({ rate })}
        />
      )}
    </>
  );
}

/** The device's own settings, as the musician says they are. */
export function MenuFields({ gear, onChange }: Props) {
  const set = (change: Partial<MenuSettings>) => void onChange({ set: { ...gear.set, ...change } });
  return (
    <>
      {gear.syncsTo !== 'timecode' && (
        <ChoiceField
          label="Clock source"
          hint="Where it takes its tempo from."
          value={gear.set.clockSource}
          options={CLOCK_SOURCES}
          onChoose={(clockSource) => set({ clockSource })}
        />
      )}
      <ChannelField
        label="Receive channel"
        hint="The MIDI channel it listens to."
        value={gear.set.channels[0] ?? 1}
        onChoose={(channel) => set({ channels: [channel] })}
      />
      <Group name="Switches" about="As they are set now. The line check compares them with what the rig needs.">
        <div className="mt-1 flex flex-wrap gap-x-5 gap-y-1">
          {SWITCHES.map(([key, label]) => (
            <Check key={key} label={label} checked={gear.set[key]} onChange={() => set({ [key]: !gear.set[key] })} />
          ))}
        </div>
      </Group>
    </>
  );
}
