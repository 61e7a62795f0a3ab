import { yupResolver } from '@hookform/resolvers/yup';
import { Copy, Trash2 } from 'lucide-react';
import { useForm } from 'react-hook-form';
import { object, string } from 'yup';
import { Button } from '../../parts/button';
import { Field, Select } from '../../parts/field';
import { useSession } from '../../studio/session';
import type { Gear } from '../../store/records';
import { withAudioOuts } from '../../store/gear';
import { movesWith } from '../../store/rig-plan';
import { CommentField } from './ability-fields';
import { PortFields } from './cable-fields';
import { ChecklistFields } from './checklist-fields';
import { GearIcon, ICON_LABELS, ICONS } from './gear-icon';
import { AdvancedLayer, DeviceLayer } from './gear-layers';
import { SyncFields } from './menu-fields';

interface Props {
  gear: Gear;
  onChange: (change: Partial<Gear>) => Promise<string | null>;
  onDuplicate: () => void;
  onDelete: () => void;
}

/** One device: how it is connected and what it syncs to; the rest in layers below. */
export function GearCard({ gear, onChange, onDuplicate, onDelete }: Props) {
  const rig = useSession(({ rig }) => rig);
  return (
    <article aria-label={gear.name} className="border border-ink bg-raised p-4">
      <div className="mb-3 flex items-start justify-between gap-3">
        <IconField gear={gear} onChange={onChange} />
        <NameField gear={gear} onChange={onChange} />
        <Button tone="quiet" aria-label={`Duplicate ${gear.name}`} onClick={onDuplicate}>
          <Copy size={16} aria-hidden />
        </Button>
        <Button tone="quiet" aria-label={`Delete ${gear.name}`} onClick={onDelete}>
          <Trash2 size={16} aria-hidden />
        </Button>
      </div>
      <div className="grid grid-cols-2 gap-3">
        <PortFields gear={gear} />
        <ReturnField gear={gear} onChange={onChange} />
        <SyncFields gear={gear} onChange={onChange} />
        <SharedWire gear={gear} />
      </div>
      {rig && <ChecklistFields gear={gear} rig={rig} />}
      <DeviceLayer gear={gear} onChange={onChange} />
      <AdvancedLayer gear={gear} onChange={onChange} />
      <CommentField gear={gear} onChange={onChange} />
    </article>
  );
}

function IconField({ gear, onChange }: Pick<Props, 'gear' | 'onChange'>) {
  return (
    <label className="relative mt-1 cursor-pointer has-focus-visible:outline-2" title="Icon">
      <GearIcon kind={gear.kind} icon={gear.icon} size={20} />
      <select
        aria-label="Icon"
        className="absolute inset-0 opacity-0"
        value={gear.icon ?? ''}
        onChange={({ target }) => void onChange({ icon: target.value === '' ? null : target.value })}
      >
        <option value="">default for this type</option>
        {Object.keys(ICONS).map((name) => (
          <option key={name} value={name}>
            {ICON_LABELS[name] ?? name}
          </option>
        ))}
      </select>
    </label>
  );
}

/** The input on which its first audio out comes back. */
function ReturnField({ gear, onChange }: Pick<Props, 'gear' | 'onChange'>) {
  const channels = useSession(({ input }) => input?.channels ?? 8);
  const inputs = Array.from({ length: Math.max(channels, (gear.returnChannel ?? 0) + 1) }, (_, i) => i);
  const choose = (input: number | null) => {
    const [first = { label: 'Main', input: null }, ...others] = gear.audioOuts;
    void onChange(withAudioOuts([{ ...first, input }, ...others]));
  };
  return (
    <Field label="Audio return">
      {(id) => (
        <Select
          id={id}
          value={gear.returnChannel ?? ''}
          onChange={({ target }) => choose(target.value === '' ? null : Number(target.value))}
        >
          <option value="">not connected</option>
          {inputs.map((i) => (
            <option key={i} value={i}>
              input {i + 1}
            </option>
          ))}
        </Select>
      )}
    </Field>
  );
}

/** Everyone on a shared wire gets the same sync, at the same offset. */
function SharedWire({ gear }: Pick<Props, 'gear'>) {
  const rig = useSession(({ rig }) => rig);
  const others = rig ? movesWith(rig, gear).filter(({ id }) => id !== gear.id) : [];
  if (others.length === 0 || gear.syncsTo === 'nothing') return null;
  return (
    <p className="col-span-2 text-xs text-soft">
      Shares its wire with {others.map(({ name }) => name).join(', ')}: same sync, same offset.
    </p>
  );
}

const nameSchema = object({
  name: string().trim().required('Enter a device name.').max(40, 'Name too long. Use 40 characters or fewer.'),
});

function NameField({ gear, onChange }: Pick<Props, 'gear' | 'onChange'>) {
  const form = useForm({ resolver: yupResolver(nameSchema), values: { name: gear.name } });
  const error = form.formState.errors.name?.message;
  const save = form.handleSubmit(async ({ name }) => {
    if (name === gear.name) return;
    const problem = await onChange({ name });
    if (problem !== null) form.setError('name', { message: problem });
  });
  return (
    <form onSubmit={(event) => void save(event)} className="flex-1">
      <input
        aria-label="Device name"
        aria-invalid={Boolean(error)}
        maxLength={60}
        className="w-full border-b border-transparent bg-transparent text-lg font-bold hover:border-rule focus:border-ink"
        {...form.register('name', { onBlur: () => void save() })}
      />
      {error && <p className="text-xs text-wrong">{error}</p>}
    </form>
  );
}
