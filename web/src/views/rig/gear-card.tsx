import { yupResolver } from '@hookform/resolvers/yup';
import { Copy, Trash2 } from 'lucide-react';
import { useForm } from 'react-hook-form';
import { object, string } from 'yup';
import { Button } from '../../parts/button';
import { Field, Select } from '../../parts/field';
import { useSession } from '../../hub/session';
import type { Gear } from '../../store/records';
import { withAudioOuts } from '../../store/gear';
import { AbilityFields } from './ability-fields';
import { CableFields } from './cable-fields';
import { Check } from '../../parts/check';
import { ChecklistFields } from './checklist-fields';
import { GearIcon, ICONS } from './gear-icon';
import { MenuFields } from './menu-fields';
import { SocketFields } from './socket-fields';

interface Props {
  gear: Gear;
  onChange: (change: Partial<Gear>) => Promise<string | null>;
  onDuplicate: () => void;
  onDelete: () => void;
}

/** One follower: its name, its port, what it is sent, and the input that hears it. */
export function GearCard({ gear, onChange, onDuplicate, onDelete }: Props) {
  const rig = useSession(({ rig }) => rig);
  const sends = (key: keyof Gear['sends']) => ({
    checked: gear.sends[key],
    onChange: () => void onChange({ sends: { ...gear.sends, [key]: !gear.sends[key] } }),
  });
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
        <CableFields gear={gear} />
        <MenuFields gear={gear} onChange={onChange} />
        <ReturnField gear={gear} onChange={onChange} />
        <FeedFields gear={gear} onChange={onChange} />
        {gear.takes === 'clock' && (
          <fieldset className="col-span-2 flex flex-wrap gap-x-5 gap-y-1 text-sm">
            <legend className="text-xs text-soft">Is sent</legend>
            <Check label="clock" {...sends('clock')} />
            <Check label="start and stop" {...sends('transport')} />
            <Check label="song position" {...sends('position')} />
            <Check
              label="clock while stopped"
              checked={gear.clockWhileStopped}
              onChange={() => void onChange({ clockWhileStopped: !gear.clockWhileStopped })}
            />
          </fieldset>
        )}
        {gear.takes !== 'nothing' && (
          <div className="col-span-2 flex items-center gap-5 text-sm">
            <Check
              label="machine control (MMC)"
              checked={gear.mmc}
              onChange={() => void onChange({ mmc: !gear.mmc })}
            />
            {gear.takes === 'clock' && (
              <select
                aria-label="Counts the beat"
                className="border border-rule px-1.5 py-1"
                value={gear.clockRate}
                onChange={({ target }) => void onChange({ clockRate: Number(target.value) as Gear['clockRate'] })}
              >
                <option value={1}>at the tempo</option>
                <option value={0.5}>at half the tempo</option>
                <option value={2}>at double the tempo</option>
              </select>
            )}
          </div>
        )}
        <Field label="Channel for quarter notes">
          {(id) => (
            <Select
              id={id}
              value={gear.noteChannel}
              onChange={(event) => void onChange({ noteChannel: Number(event.target.value) })}
            >
              {Array.from({ length: 16 }, (_, i) => (
                <option key={i} value={i + 1}>
                  {i + 1}
                </option>
              ))}
            </Select>
          )}
        </Field>
      </div>
      {rig && <ChecklistFields gear={gear} rig={rig} />}
      <SocketFields gear={gear} onChange={onChange} />
      <AbilityFields gear={gear} onChange={onChange} />
    </article>
  );
}

function IconField({ gear, onChange }: Pick<Props, 'gear' | 'onChange'>) {
  return (
    <label className="relative mt-1 cursor-pointer has-focus-visible:outline-2" title="Picture">
      <GearIcon kind={gear.kind} icon={gear.icon} size={20} />
      <select
        aria-label="Picture"
        className="absolute inset-0 opacity-0"
        value={gear.icon ?? ''}
        onChange={({ target }) => void onChange({ icon: target.value === '' ? null : target.value })}
      >
        <option value="">as its kind</option>
        {Object.keys(ICONS).map((name) => (
          <option key={name} value={name}>
            {name}
          </option>
        ))}
      </select>
    </label>
  );
}

/** The input that hears its first audio out. */
function ReturnField({ gear, onChange }: Pick<Props, 'gear' | 'onChange'>) {
  const channels = useSession(({ input }) => input?.channels ?? 8);
  const inputs = Array.from({ length: Math.max(channels, (gear.returnChannel ?? 0) + 1) }, (_, i) => i);
  const choose = (input: number | null) => {
    const [first = { label: 'Main', input: null }, ...others] = gear.audioOuts;
    void onChange(withAudioOuts([{ ...first, input }, ...others]));
  };
  return (
    <Field label="Comes back on">
      {(id) => (
        <Select
          id={id}
          value={gear.returnChannel ?? ''}
          onChange={({ target }) => choose(target.value === '' ? null : Number(target.value))}
        >
          <option value="">nothing hears it</option>
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

/** Whether its port has a feed of its own, and in which language it would lead. */
function FeedFields({ gear, onChange }: Pick<Props, 'gear' | 'onChange'>) {
  const all = useSession(({ rig }) => rig?.gear);
  const others = all?.filter(({ id, sharesFeedOf }) => id !== gear.id && !sharesFeedOf);
  const fansOut = all?.some(({ sharesFeedOf }) => sharesFeedOf === gear.id) ?? false;
  return (
    <>
      <Field label="Its feed" {...(fansOut && { hint: 'fans out to others' })}>
        {(id) => (
          <Select
            id={id}
            value={gear.sharesFeedOf ?? ''}
            disabled={fansOut}
            onChange={({ target }) => void onChange({ sharesFeedOf: target.value === '' ? null : target.value })}
          >
            <option value="">its own</option>
            {others?.map((one) => (
              <option key={one.id} value={one.id}>
                that of {one.name}
              </option>
            ))}
          </Select>
        )}
      </Field>
      {gear.able.lead && (
        <Field label="Where it leads, it gives">
          {(id) => (
            <Select
              id={id}
              value={gear.gives}
              onChange={({ target }) => void onChange({ gives: target.value as Gear['gives'] })}
            >
              <option value="clock">MIDI clock</option>
              <option value="timecode">timecode</option>
            </Select>
          )}
        </Field>
      )}
    </>
  );
}

const nameSchema = object({
  name: string().trim().required('Give it a name.').max(40, 'A name has at most 40 letters.'),
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
        aria-label="Name"
        aria-invalid={Boolean(error)}
        maxLength={60}
        className="w-full border-b border-transparent bg-transparent text-lg font-bold hover:border-rule focus:border-ink"
        {...form.register('name', { onBlur: () => void save() })}
      />
      {error && <p className="text-xs text-wrong">{error}</p>}
    </form>
  );
}
