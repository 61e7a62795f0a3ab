import { Check } from '../../parts/check';
import { ChoiceField } from '../../parts/field';
import { Group, Layer } from '../../parts/layer';
import { useRigPlace } from '../../parts/rig-place';
import { CLOCK_RATES } from '../../parts/words';
import type { Gear } from '../../store/records';
import { AbilityFields } from './ability-fields';
import { NoteTrafficField, ThroughField } from './cable-fields';
import { ChannelField } from './channel-field';
import { MachineFields } from './machine-fields';
import { MenuFields } from './menu-fields';
import { OffsetPlaceFields, SessionChanged } from './offset-place-fields';
import { SocketFields } from './socket-fields';

interface Props {
  gear: Gear;
  onChange: (change: Partial<Gear>) => Promise<string | null>;
}

/** How the device itself is set. */
export function DeviceLayer({ gear, onChange }: Props) {
  const { unfold } = useRigPlace();
  return (
    <Layer name="Device settings" about="What is set on the device, and its sockets." isOpen={unfold === 'settings'}>
      <MenuFields gear={gear} onChange={onChange} />
      <OffsetPlaceFields gear={gear} onChange={onChange} />
      <SessionChanged gear={gear} onChange={onChange} />
      <SocketFields gear={gear} onChange={onChange} />
    </Layer>
  );
}

const SENDS = [
  ['clock', 'Clock'],
  ['transport', 'Start and stop'],
  ['position', 'Song position'],
] as const satisfies readonly (readonly [keyof Gear['sends'], string])[];

const LEADS_WITH = [
  ['clock', 'MIDI clock'],
  ['timecode', 'timecode'],
] as const satisfies readonly (readonly [Gear['leadsWith'], string])[];

/** What is sent to the device, and what it can do. */
export function AdvancedLayer({ gear, onChange }: Props) {
  const { syncsTo, sends, mmc, clockWhileStopped, able, noteChannel } = gear;
  return (
    <Layer name="Advanced" about="What is sent to the device, and what it can do.">
      {syncsTo !== 'nothing' && (
        <Group name="Send" about="Leave out what confuses the device.">
          <div className="mt-1 flex flex-wrap gap-x-5 gap-y-1">
            {syncsTo === 'clock' && (
              <>
                {SENDS.map(([key, label]) => (
                  <Check
                    key={key}
                    label={label}
                    checked={sends[key]}
                    onChange={() => void onChange({ sends: { ...sends, [key]: !sends[key] } })}
                  />
                ))}
                <Check
                  label="Clock while stopped"
                  checked={clockWhileStopped}
                  onChange={() => void onChange({ clockWhileStopped: !clockWhileStopped })}
                />
              </>
            )}
            <Check label="Machine control (MMC)" checked={mmc} onChange={() => void onChange({ mmc: !mmc })} />
          </div>
        </Group>
      )}
      <MachineFields gear={gear} onChange={onChange} />
      {syncsTo === 'clock' && (
        <ChoiceField
          label="Clock rate"
          hint="For a device that should play at half or double tempo."
          value={gear.clockRate}
          options={CLOCK_RATES}
          onChoose={(clockRate) => void onChange({ clockRate })}
        />
      )}
      {able.lead && (
        <ChoiceField
          label="When leading, sends"
          hint="What the hub follows while this device leads."
          value={gear.leadsWith}
          options={LEADS_WITH}
          onChoose={(leadsWith) => void onChange({ leadsWith })}
        />
      )}
      <ThroughField gear={gear} />
      <ChannelField
        label="Test note channel"
        hint="Used when a take plays notes instead of clock."
        value={noteChannel}
        onChoose={(channel) => void onChange({ noteChannel: channel })}
      />
      <NoteTrafficField gear={gear} />
      <AbilityFields gear={gear} onChange={onChange} />
    </Layer>
  );
}
