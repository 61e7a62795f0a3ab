import {
  CONTROL_DEEDS,
  controlConflicts,
  HUB_ID,
  MAX_NUDGE,
  type Control,
  type ControlConflict,
  type ControlDeed,
} from '@metronomo/core';
import { Trash2 } from 'lucide-react';
import { useEffect } from 'react';
import { controlDesk, useControls } from '../../studio/controls';
import { NUDGE } from '../../studio/nudge';
import { changeRig } from '../../studio/rig';
import { Button } from '../../parts/button';
import { InlineSelect } from '../../parts/inline-select';
import { signalWords } from '../../parts/midi-words';
import type { Rig } from '../../store/records';

const MAX_CONTROLS = 128;

const DEED_WORDS: Readonly<Record<ControlDeed, string>> = {
  play: 'Play',
  stop: 'Stop',
  continue: 'Continue',
  playOrStop: 'Play or stop',
  toStart: 'Back to start',
  nextSection: 'Next section',
  previousSection: 'Previous section',
  nextSong: 'Next song',
  tap: 'Tap tempo',
  downbeat: 'Start on my downbeat',
  faster: 'Nudge faster (hold)',
  slower: 'Nudge slower (hold)',
  mute: 'Mute a device',
  hold: 'Stop one device',
  trigger: 'Trigger on or off',
  fill: 'Fill (hold)',
  record: 'Record on or off',
};

/** Keys, pedals and buttons that do something here; each is learned by pressing it. */
export function ControlsPanel({ rig }: { rig: Rig }) {
  const controls = rig.controls ?? [];
  const learningId = useControls(({ learningId }) => learningId);
  const change = (make: (before: Control[]) => Control[]) =>
    void changeRig((before) => ({ ...before, controls: make(before.controls ?? []) }));
  const add = async () => {
    const id = crypto.randomUUID();
    await changeRig((before) => ({
      ...before,
      controls: [...(before.controls ?? []), { id, socketId: UNLEARNED, signal: NO_SIGNAL, does: 'playOrStop' }],
    }));
    controlDesk.learn(id);
  };
  useEffect(() => () => void (useControls.getState().learningId !== null && controlDesk.stopLearning()), []);
  const conflicts = controlConflicts(
    controls.filter(({ socketId }) => socketId !== UNLEARNED),
    rig.routes,
    rig.hubSockets,
    leadingSockets(rig),
  );
  return (
    <section aria-label="Controls">
      <h2 className="mb-1 text-lg font-bold">Controls</h2>
      <p className="mb-2 text-sm text-soft">
        Any key, pad, pedal or button on an input can play, stop, tap and more. Press Learn, then press it.
      </p>
      <ul className="flex flex-col gap-2">
        {controls.map((control, i) => (
          <li key={control.id}>
            <ControlFields
              number={i + 1}
              control={control}
              rig={rig}
              learning={learningId === control.id}
              onChange={(next) =>
                change((before) => before.map((one) => (one.id === control.id ? { ...one, ...next } : one)))
              }
              onDelete={() => change((before) => before.filter(({ id }) => id !== control.id))}
            />
            {conflicts
              .filter(({ controlId }) => controlId === control.id)
              .map((conflict, k) => (
                <p key={k} role="note" className="mt-1 text-sm text-attention">
                  {conflictWords(conflict, rig)}
                </p>
              ))}
          </li>
        ))}
      </ul>
      <Button className="mt-2" disabled={controls.length >= MAX_CONTROLS} onClick={() => void add()}>
        Add control
      </Button>
    </section>
  );
}

/** Not learned yet. */
const UNLEARNED = 'none';
const NO_SIGNAL = { kind: 'transport', message: 'start' } as const;

function ControlFields({
  number,
  control,
  rig,
  learning,
  onChange,
  onDelete,
}: {
  number: number;
  control: Control;
  rig: Rig;
  learning: boolean;
  onChange: (next: Partial<Control>) => void;
  onDelete: () => void;
}) {
  const { id, socketId, signal, does, gearId = '', triggerId = '', share = NUDGE } = control;
  const pressed = useControls(({ last }) => last?.id === id);
  const socket = rig.hubSockets.find((one) => one.id === socketId);
  const learned = socketId !== UNLEARNED;
  const devices = rig.gear.filter(({ portId }) => portId !== null);
  const triggers = rig.gear.flatMap((gear) =>
    gear.triggers.map((trigger, i) => ({ id: trigger.id, words: `${gear.name}, trigger ${i + 1}` })),
  );
  return (
    <fieldset className="border border-rule p-2.5">
      <legend className="flex items-center gap-2 px-1 text-xs text-soft">
        Control {number}
        {pressed && <span role="status">last pressed</span>}
        <Button tone="quiet" className="!px-1 !py-0" aria-label={`Delete control ${number}`} onClick={onDelete}>
          <Trash2 size={14} aria-hidden />
        </Button>
      </legend>
      <div className="flex items-center justify-between gap-2 text-sm">
        <span className={learned ? '' : 'text-soft'}>
          {learning
            ? 'Press it now…'
            : learned
              ? `${signalWords(signal)}, ${socket?.label ?? 'input removed'}`
              : 'Not learned yet'}
        </span>
        <Button
          aria-pressed={learning}
          aria-label={`Learn control ${number}`}
          onClick={() => (learning ? controlDesk.stopLearning() : controlDesk.learn(id))}
        >
          {learning ? 'Cancel' : 'Learn'}
        </Button>
      </div>
      <div className="mt-2 flex flex-wrap gap-2">
        <InlineSelect
          name={`Control ${number}: action`}
          value={does}
          options={CONTROL_DEEDS.map((deed) => [deed, DEED_WORDS[deed]])}
          onChoose={(deed) => onChange({ does: deed as ControlDeed })}
        />
        {(does === 'faster' || does === 'slower') && (
          <>
            <InlineSelect
              name={`Control ${number}: nudge by`}
              value={String(share)}
              options={[0.005, 0.01, 0.02, 0.03, 0.05, MAX_NUDGE].map((one) => [String(one), `${one * 100}%`])}
              onChoose={(one) => onChange({ share: Number(one) })}
            />
            <InlineSelect
              name={`Control ${number}: device`}
              value={gearId}
              options={[['', 'all followers'], ...devices.map((one) => [one.id, one.name] as const)]}
              onChoose={(chosen) => onChange({ gearId: chosen })}
            />
          </>
        )}
        {(does === 'mute' || does === 'hold') && (
          <InlineSelect
            name={`Control ${number}: device`}
            value={gearId}
            options={[['', 'choose a device'], ...devices.map((one) => [one.id, one.name] as const)]}
            onChoose={(chosen) => onChange({ gearId: chosen })}
          />
        )}
        {(does === 'trigger' || does === 'fill') && (
          <InlineSelect
            name={`Control ${number}: trigger`}
            value={triggerId}
            options={[['', 'choose a trigger'], ...triggers.map((one) => [one.id, one.words] as const)]}
            onChoose={(chosen) => onChange({ triggerId: chosen })}
          />
        )}
      </div>
    </fieldset>
  );
}

/** The hub's inputs from devices that may lead. */
function leadingSockets({ cables, leaders }: Rig): Set<string> {
  const into = cables.filter(({ from, to }) => to.gearId === HUB_ID && leaders.includes(from.gearId));
  return new Set(into.map(({ to }) => to.socketId));
}

function conflictWords(conflict: ControlConflict, { controls = [], routes, hubSockets }: Rig): string {
  switch (conflict.kind) {
    case 'same': {
      const other = controls.findIndex(({ id }) => id === conflict.otherId) + 1;
      return `Control ${other} uses the same key or pedal. Both will act. Learn another one, or delete one of them.`;
    }
    case 'route': {
      const at = routes.findIndex(({ id }) => id === conflict.routeId);
      const to = hubSockets.find(({ id }) => id === routes[at]?.to)?.label ?? 'another port';
      return `Route ${at + 1} also sends it to ${to}, where it may play a note. Use another channel, or change the route.`;
    }
    case 'obeyed':
      return 'Start and stop from this input already control the hub. Use another button, or turn that off.';
  }
}
