import type { LinkKind, Socket } from '@metronomo/core';
import { Plus, X } from 'lucide-react';
import { showToast } from '../../toasts/toast-store';
import { changeRig } from '../../studio/rig';
import { useSession } from '../../studio/session';
import { Button } from '../../parts/button';
import { Group } from '../../parts/layer';
import { InlineSelect } from '../../parts/inline-select';
import { withAudioOuts } from '../../store/gear';
import type { Gear } from '../../store/records';
import { Check } from '../../parts/check';
import { withSockets } from '../../store/rig-plan';

const LINKS: Readonly<Record<LinkKind, string>> = {
  din: '5-pin DIN',
  usb: 'USB',
  loopback: 'loopback',
  network: 'network',
  tablet: 'tablet cable',
};
const DIRECTIONS = ['in', 'out', 'thru'] as const;
const MAX_SOCKETS = 32;
const MAX_AUDIO_OUTS = 16;

/** A device's MIDI sockets and audio outs. */
export function SocketFields({
  gear,
  onChange,
}: {
  gear: Gear;
  onChange: (change: Partial<Gear>) => Promise<string | null>;
}) {
  const channels = useSession(({ input }) => input?.channels ?? 8);
  const save = (sockets: readonly Socket[]) => void changeRig((rig) => withSockets(rig, gear.id, sockets));
  const change = (id: string, next: Partial<Socket>) =>
    save(gear.sockets.map((one) => (one.id === id ? { ...one, ...next } : one)));
  const add = () => {
    const label = freeLabel(gear);
    if (label === null) showToast('All socket letters from A to Z are in use. Rename or remove a socket first.');
    else save([...gear.sockets, { id: crypto.randomUUID(), label, direction: 'in', link: 'din' }]);
  };
  const outs = (audioOuts: Gear['audioOuts']) => void onChange(withAudioOuts(audioOuts));
  const inputs = Array.from({ length: Math.max(channels, (gear.returnChannel ?? 0) + 1) }, (_, i) => i);
  return (
    <>
      <Group name="MIDI sockets" about="Name them as they are labelled on the device.">
        <ul className="mt-2 flex flex-col gap-1.5" aria-label="MIDI sockets">
          {gear.sockets.map((socket) => (
            <li key={socket.id} className="grid grid-cols-[1fr_58px_96px_auto] gap-1.5">
              <LabelInput
                name={`Name of socket ${socket.label}`}
                value={socket.label}
                onSave={(label) => change(socket.id, { label })}
              />
              <InlineSelect
                name={`Direction of ${socket.label}`}
                value={socket.direction}
                options={DIRECTIONS.map((one) => [one, one])}
                onChoose={(direction) => change(socket.id, { direction: direction as Socket['direction'] })}
              />
              <InlineSelect
                name={`Type of ${socket.label}`}
                value={socket.link}
                options={Object.entries(LINKS)}
                onChoose={(link) => change(socket.id, { link: link as LinkKind })}
              />
              <Button
                tone="quiet"
                className="!px-1"
                aria-label={`Remove socket ${socket.label}`}
                onClick={() => save(gear.sockets.filter(({ id }) => id !== socket.id))}
              >
                <X size={14} aria-hidden />
              </Button>
              {socket.link !== 'din' && (
                <div className="col-span-4 -mt-1 text-xs text-soft">
                  <Check
                    label={`${socket.label} can be shared between apps`}
                    checked={socket.shared !== false}
                    onChange={() => change(socket.id, { shared: socket.shared === false })}
                  />
                </div>
              )}
            </li>
          ))}
        </ul>
        <Button tone="quiet" className="!px-0" disabled={gear.sockets.length >= MAX_SOCKETS} onClick={add}>
          <Plus size={14} aria-hidden /> Add socket
        </Button>
      </Group>
      <Group name="Audio outs" about="Each can come back on an input of its own.">
        <ul className="mt-2 flex flex-col gap-1.5" aria-label="Audio outs">
          {gear.audioOuts.map((out, i) => (
            <li key={i} className="grid grid-cols-[1fr_176px_auto] gap-1.5">
              <LabelInput
                name={`Name of audio out ${i + 1}`}
                value={out.label}
                onSave={(label) => outs(gear.audioOuts.map((one, k) => (k === i ? { ...one, label } : one)))}
              />
              <InlineSelect
                name={`Audio return for ${out.label}`}
                value={out.input === null ? '' : String(out.input)}
                options={[
                  ['', 'not connected'],
                  ...inputs.map((input): [string, string] => [String(input), `input ${input + 1}`]),
                ]}
                onChoose={(to) =>
                  outs(
                    gear.audioOuts.map((one, k) => (k === i ? { ...one, input: to === '' ? null : Number(to) } : one)),
                  )
                }
              />
              <Button
                tone="quiet"
                className="!px-1"
                aria-label={`Remove audio out ${out.label}`}
                onClick={() => outs(gear.audioOuts.filter((_, k) => k !== i))}
              >
                <X size={14} aria-hidden />
              </Button>
            </li>
          ))}
        </ul>
        <Button
          tone="quiet"
          className="!px-0"
          disabled={gear.audioOuts.length >= MAX_AUDIO_OUTS}
          onClick={() => outs([...gear.audioOuts, { label: `Out ${gear.audioOuts.length + 1}`, input: null }])}
        >
          <Plus size={14} aria-hidden /> Add audio out
        </Button>
      </Group>
    </>
  );
}

function freeLabel({ sockets }: Gear): string | null {
  const letter = (i: number) => `IN ${String.fromCharCode(65 + i)}`;
  for (let i = 0; i < 26; i++) if (!sockets.some(({ label }) => label === letter(i))) return letter(i);
  return null;
}

/** Saved on Enter or on leaving the field; an empty label is reverted. */
function LabelInput({ name, value, onSave }: { name: string; value: string; onSave: (value: string) => void }) {
  const settle = (input: HTMLInputElement) => {
    const next = input.value.trim();
    if (next === '') input.value = value;
    else if (next !== value) onSave(next);
  };
  return (
    <input
      key={value}
      aria-label={name}
      defaultValue={value}
      maxLength={40}
      className="min-w-0 border border-rule px-2 py-1"
      onBlur={({ target }) => settle(target)}
      onKeyDown={({ key, currentTarget }) => {
        if (key === 'Enter') settle(currentTarget);
      }}
    />
  );
}
