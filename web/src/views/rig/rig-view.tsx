import type { GearKind } from '@metronomo/core';
import { ChevronDown, ChevronUp, Plus, Printer } from 'lucide-react';
import { Tabs } from 'radix-ui';
import { useCallback, useState } from 'react';
import { Link } from 'react-router';
import { ValidationError } from 'yup';
import { changeRig, undoWhileLatest } from '../../studio/rig';
import { useSession } from '../../studio/session';
import { showToast } from '../../toasts/toast-store';
import { Button } from '../../parts/button';
import { useRigPlace } from '../../parts/rig-place';
import { freeName, gear as newGear, withAudioOuts } from '../../store/gear';
import type { Gear } from '../../store/records';
import { moveGear, withoutGear } from '../../store/rig-plan';
import { ChannelsPanel } from './channels-panel';
import { ControlsPanel } from './controls-panel';
import { Drawing } from './drawing';
import { GearCard } from './gear-card';
import { InputPanel } from './input-panel';
import { LineCheckPanel } from './line-check-panel';
import { NetworkPanel } from './network-panel';
import { PortPanel } from './port-panel';
import { RemotePanel } from './remote-panel';
import { RigPaper } from './rig-paper';
import { RecipeList } from './recipe-list';
import { RigChooser } from './rig-chooser';
import { ShelfPanel } from './shelf-panel';
import { LeaderPanel } from './leader-panel';

const PANELS = {
  check: 'Line check',
  gear: 'Gear',
  leads: 'Leader',
  channels: 'Channels',
  controls: 'Controls',
  ports: 'Ports',
} as const;

/** The gear, its cabling, the leader, and the line check. */
export function RigView() {
  const rig = useSession(({ rig }) => rig);
  const opened = useRigPlace();
  const [panel, setPanel] = useState<keyof typeof PANELS>(
    opened.panel ?? (opened.gear === undefined ? 'check' : 'gear'),
  );
  const [chosenId, setChosenId] = useState(opened.gear ?? null);
  const choose = useCallback((id: string | null) => {
    setChosenId(id);
    if (id) setPanel('gear');
  }, []);
  if (!rig) return null;
  const chosen = rig.gear.find(({ id }) => id === chosenId) ?? null;
  const isEmpty = rig.gear.length === 0;
  return (
    <>
      <RigPaper rig={rig} />
      <div className="grid h-full grid-cols-1 grid-rows-[minmax(460px,1fr)_auto] lg:grid-cols-[1fr_372px] lg:grid-rows-1 print:hidden">
        <section aria-label="Gear and cables" className="flex min-h-0 flex-col">
          <div className="flex flex-wrap items-center gap-3 px-5 py-3">
            <Button
              tone="strong"
              onClick={() => {
                setChosenId(null);
                setPanel('gear');
              }}
            >
              <Plus size={16} aria-hidden /> Add gear
            </Button>
            <Link
              to="/set-up"
              className="inline-flex items-center border border-ink bg-raised px-3 py-1.5 text-sm whitespace-nowrap"
            >
              Guided set-up
            </Link>
            <RigChooser rig={rig} />
            {!isEmpty && (
              <p className="ml-auto flex gap-2 text-xs max-xl:hidden" aria-label="Cable colors">
                <span className="text-clock">— clock</span>
                <span className="text-timecode">— timecode</span>
                <span className="text-audio">— notes</span>
                <span className="text-soft">- - network</span>
              </p>
            )}
          </div>
          <div className="relative min-h-0 flex-1">
            <div className="absolute top-1 right-3 z-10 flex gap-1">
              {rig.gear.some(({ place }) => place) && (
                <Button tone="quiet" className="bg-sheet" onClick={() => void layOutAnew()}>
                  Reset layout
                </Button>
              )}
              {!isEmpty && (
                <Button tone="quiet" className="bg-sheet" onClick={() => window.print()}>
                  <Printer size={16} aria-hidden /> Print
                </Button>
              )}
            </div>
            {isEmpty ? <RecipeList /> : <Drawing rig={rig} chosenId={chosenId} onChoose={choose} />}
          </div>
        </section>
        <Tabs.Root
          value={panel}
          onValueChange={(value) => setPanel(value as keyof typeof PANELS)}
          className="ruled-l flex min-h-0 flex-col bg-raised"
        >
          <Tabs.List aria-label="Rig panels" className="ruled-b flex">
            {Object.entries(PANELS).map(([value, label]) => (
              <Tabs.Trigger
                key={value}
                value={value}
                className="flex-auto border-b-2 border-transparent px-1 py-3 text-xs whitespace-nowrap text-soft data-[state=active]:border-ink data-[state=active]:text-ink"
              >
                {label}
              </Tabs.Trigger>
            ))}
          </Tabs.List>
          <div className="min-h-0 flex-1 overflow-auto p-5" tabIndex={-1}>
            <Tabs.Content value="check">
              <LineCheckPanel rig={rig} />
            </Tabs.Content>
            <Tabs.Content value="gear">
              {chosen ? (
                <GearCard
                  key={chosen.id}
                  gear={chosen}
                  onChange={(change) => changeGear(chosen.id, change)}
                  onDuplicate={() => void duplicateGear(chosen).then(choose)}
                  onDelete={() => void deleteGear(chosen)}
                />
              ) : (
                <>
                  <ShelfPanel onTake={(kind, name) => void addGear(kind, name).then(choose)} />
                  <GearList gear={rig.gear} onChoose={choose} />
                </>
              )}
            </Tabs.Content>
            <Tabs.Content value="leads">
              <LeaderPanel rig={rig} />
            </Tabs.Content>
            <Tabs.Content value="channels">
              <ChannelsPanel rig={rig} />
            </Tabs.Content>
            <Tabs.Content value="controls">
              <ControlsPanel rig={rig} />
            </Tabs.Content>
            <Tabs.Content value="ports" className="flex flex-col gap-8">
              <PortPanel rig={rig} />
              <NetworkPanel rig={rig} />
              <RemotePanel />
              <InputPanel rig={rig} />
            </Tabs.Content>
          </div>
        </Tabs.Root>
      </div>
    </>
  );
}

/** All gear by name: the diagram's contents for keyboard users. */
function GearList({ gear, onChoose }: { gear: readonly Gear[]; onChoose: (id: string) => void }) {
  if (gear.length === 0)
    return <p className="mt-6 text-sm text-soft">No gear yet. Add each device or app that should stay in sync.</p>;
  return (
    <section aria-label="Gear in this rig" className="mt-6">
      <h2 className="mb-1 text-lg font-bold">Gear in this rig</h2>
      <ul>
        {gear.map(({ id, name }, i) => (
          <li key={id} className="ruled-b flex items-center justify-between">
            <Button tone="quiet" className="!px-0" onClick={() => onChoose(id)}>
              {name}…
            </Button>
            <span className="flex">
              <MoveButton name={name} way="up" disabled={i === 0} onMove={() => move(id, -1)} />
              <MoveButton name={name} way="down" disabled={i === gear.length - 1} onMove={() => move(id, 1)} />
            </span>
          </li>
        ))}
      </ul>
    </section>
  );
}

function MoveButton({
  name,
  way,
  disabled,
  onMove,
}: {
  name: string;
  way: 'up' | 'down';
  disabled: boolean;
  onMove: () => void;
}) {
  return (
    <Button tone="quiet" className="!px-1.5" aria-label={`Move ${name} ${way}`} disabled={disabled} onClick={onMove}>
      {way === 'up' ? <ChevronUp size={16} aria-hidden /> : <ChevronDown size={16} aria-hidden />}
    </Button>
  );
}

function layOutAnew(): Promise<void> {
  return changeRig((rig) => ({ ...rig, gear: rig.gear.map((one) => ({ ...one, place: null })) }));
}

function move(gearId: string, by: number): void {
  void changeRig((rig) => moveGear(rig, gearId, by));
}

/** Resolves to the new device's id. */
async function addGear(kind: GearKind, kindName: string): Promise<string> {
  const id = crypto.randomUUID();
  await changeRig((rig) => ({ ...rig, gear: [...rig.gear, newGear({ id, name: freeName(rig, kindName), kind })] }));
  return id;
}

/** A copy without cables, audio return and offset. Resolves to the new device's id. */
async function duplicateGear(gear: Gear): Promise<string> {
  const id = crypto.randomUUID();
  await changeRig((rig) => {
    const copy = {
      ...gear,
      id,
      name: freeName(rig, gear.name),
      portId: null,
      ...withAudioOuts(gear.audioOuts.map((out) => ({ ...out, input: null }))),
      checked: [],
      offsetMs: 0,
      place: null,
    };
    return { ...rig, gear: [...rig.gear, copy] };
  });
  return id;
}

/** Resolves to the reason if the change isn't possible. */
async function changeGear(id: string, change: Partial<Gear>): Promise<string | null> {
  const others = useSession.getState().rig?.gear.filter((one) => one.id !== id) ?? [];
  if (others.some(({ name }) => name.toLowerCase() === change.name?.toLowerCase()))
    return `The name ${change.name} is already in use. Choose another.`;
  try {
    await changeRig((rig) => ({ ...rig, gear: rig.gear.map((one) => (one.id === id ? { ...one, ...change } : one)) }));
    return null;
  } catch (error) {
    if (error instanceof ValidationError) return error.message;
    throw error;
  }
}

async function deleteGear({ id, name }: Gear): Promise<void> {
  await changeRig((rig) => withoutGear(rig, id));
  showToast(`Deleted ${name}. Its takes are kept.`, undoWhileLatest());
}
