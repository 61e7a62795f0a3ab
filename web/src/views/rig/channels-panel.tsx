import {
  channelMap,
  freeChannel,
  HUB_ID,
  PASSES,
  type NoteRoute,
  type Passes,
  type PortChannels,
} from '@metronomo/core';
import clsx from 'clsx';
import { Trash2 } from 'lucide-react';
import type { ReactNode } from 'react';
import { changeRig, undoWhileLatest } from '../../studio/rig';
import { setOffset } from '../../studio/set-offset';
import { offsetBeside } from '../../studio/sources';
import { useTakesOf } from '../../studio/use-takes';
import { useTransit } from '../../studio/transit';
import { showToast } from '../../toasts/toast-store';
import { decimal } from '../../words/numbers';
import { dayOf } from '../../parts/dates';
import { Button } from '../../parts/button';
import { Field, Select } from '../../parts/field';
import type { Gear, Rig } from '../../store/records';
import { planOf } from '../../store/rig-plan';
import { Check } from '../../parts/check';
import { signed } from '../../parts/words';
import { NoteRange } from './note-range';
import { NoteTake } from './note-take';

const CHANNELS = Array.from({ length: 16 }, (_, i) => i + 1);

const PASS_LABELS: Readonly<Record<keyof Passes, string>> = {
  notes: 'Notes',
  controllers: 'Controllers',
  programs: 'Program changes',
  bends: 'Pitch bend',
};

/** Receive channels by port, and routes between ports. */
export function ChannelsPanel({ rig }: { rig: Rig }) {
  const plan = planOf(rig);
  const ports = channelMap(plan);
  const nameOf = (id: string) => rig.gear.find((one) => one.id === id)?.name ?? id;
  return (
    <section aria-label="Channels and routes">
      <h2 className="mb-1 text-lg font-bold">Channels</h2>
      {ports.length === 0 ? (
        <p className="text-sm text-soft">The hub has no output ports yet. Add one under Ports.</p>
      ) : (
        <>
          <p className="mb-2 text-sm text-soft">Receive channels by output port, A1 to {ports.at(-1)?.letter}16.</p>
          <ChannelMap ports={ports} nameOf={nameOf} />
          <ul className="mt-3 text-sm">
            {ports.map(({ letter, socket, receivers }) => (
              <PortRow key={socket.id} letter={letter} label={socket.label} heardBy={receivers} rig={rig} />
            ))}
          </ul>
        </>
      )}
      <Routes rig={rig} />
    </section>
  );
}

/** One row per port, one square per channel: free, used, or used more than once. */
function ChannelMap({ ports, nameOf }: { ports: PortChannels[]; nameOf: (id: string) => string }) {
  return (
    <table className="w-full table-fixed text-center text-xs" aria-label="Channel map">
      <thead>
        <tr>
          <th className="w-5">
            <span className="sr-only">Port</span>
          </th>
          {CHANNELS.map((channel) => (
            <th key={channel} scope="col" className="font-normal text-soft">
              {channel}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {ports.map(({ letter, socket, receivers }) => (
          <tr key={socket.id}>
            <th scope="row" className="text-left font-bold">
              {letter}
            </th>
            {receivers.map((ids, i) => {
              const words = `${letter}${i + 1}: ${ids.length === 0 ? 'free' : ids.map(nameOf).join(', ')}`;
              return (
                <td key={i} className="border border-rule p-0">
                  <span
                    role="img"
                    aria-label={words}
                    title={words}
                    className={clsx(
                      'block h-5 leading-5',
                      ids.length === 1 && 'bg-ink text-sheet',
                      ids.length > 1 && 'bg-wrong text-sheet',
                    )}
                  >
                    {ids.length > 1 ? ids.length : ''}
                  </span>
                </td>
              );
            })}
          </tr>
        ))}
      </tbody>
    </table>
  );
}

function PortRow({
  letter,
  label,
  heardBy,
  rig,
}: {
  letter: string;
  label: string;
  heardBy: PortChannels['receivers'];
  rig: Rig;
}) {
  const gear = rig.gear.filter(({ id }) => heardBy.some((ids) => ids.includes(id)));
  return (
    <li className="ruled-t py-1.5">
      <p className="text-xs text-soft">
        <b className="text-ink">{letter}</b> {label}
      </p>
      {gear.length === 0 && <p className="text-soft">No device receives notes on this port</p>}
      {gear.map((one) => {
        const beside = one.set.channels.some((channel) => (heardBy[channel - 1]?.length ?? 0) > 1);
        const free = beside ? freeChannel(planOf(rig), one.id) : null;
        const hear = (channel: number) =>
          void changeRig((before) => ({
            ...before,
            gear: before.gear.map((other) =>
              other.id === one.id ? { ...other, set: { ...other.set, channels: [channel] } } : other,
            ),
          }));
        return (
          <div key={one.id} className="flex items-center justify-between gap-2 py-0.5">
            <label htmlFor={`channel-${one.id}`} className="truncate">
              {one.name}
            </label>
            <span className="flex shrink-0 items-center gap-2">
              {free !== null && (
                <Button tone="quiet" className="!px-1 text-wrong" onClick={() => hear(free)}>
                  Move to {letter}
                  {free}
                </Button>
              )}
              <span className="w-20">
                <Select
                  id={`channel-${one.id}`}
                  value={one.set.channels[0] ?? 1}
                  onChange={({ target }) => hear(Number(target.value))}
                >
                  {CHANNELS.map((channel) => (
                    <option key={channel} value={channel}>
                      {letter}
                      {channel}
                    </option>
                  ))}
                </Select>
              </span>
            </span>
          </div>
        );
      })}
    </li>
  );
}

function Routes({ rig }: { rig: Rig }) {
  const ins = rig.hubSockets.filter(({ direction }) => direction === 'in');
  const outs = rig.hubSockets.filter(({ direction }) => direction === 'out');
  const [firstIn, firstOut] = [ins[0], outs[0]];
  const change = (make: (routes: NoteRoute[]) => NoteRoute[]) =>
    void changeRig((before) => ({ ...before, routes: make(before.routes) }));
  const add = () => {
    if (!firstIn || !firstOut) return;
    const passes = { notes: true, controllers: true, programs: true, bends: true };
    const route = {
      id: crypto.randomUUID(),
      from: firstIn.id,
      to: firstOut.id,
      fromChannel: null,
      toChannel: null,
      passes,
    };
    change((routes) => [...routes, route]);
  };
  return (
    <section aria-label="Routes" className="ruled-t mt-4 pt-3">
      <h2 className="text-lg font-bold">Routes</h2>
      <p className="mb-2 text-sm text-soft">
        {firstIn
          ? 'Routes carry notes and controllers between ports. Clock still goes to all gear. Routes into the same port are merged.'
          : 'Routes need an input port. Add one under Ports, or draw a cable into the hub.'}
      </p>
      <ul className="flex flex-col gap-2">
        {rig.routes.map((route, i) => (
          <li key={route.id}>
            <RouteFields
              number={i + 1}
              route={route}
              ins={ins}
              outs={outs}
              facts={<RouteTiming rig={rig} route={route} />}
              nameOf={(id) => gearAt(rig, id)}
              onChange={(next) =>
                change((routes) => routes.map((one) => (one.id === route.id ? { ...one, ...next } : one)))
              }
              onDelete={() => change((routes) => routes.filter(({ id }) => id !== route.id))}
            />
          </li>
        ))}
      </ul>
      <Button className="mt-2" disabled={!firstIn || !firstOut} onClick={add}>
        Add route
      </Button>
      {firstIn && <NoteTake rig={rig} />}
    </section>
  );
}

/** The device connected to a hub socket, in brackets. */
function gearAt(rig: Rig, socketId: string): string {
  const cable = rig.cables.find(
    ({ from, to }) =>
      (from.gearId === HUB_ID && from.socketId === socketId) || (to.gearId === HUB_ID && to.socketId === socketId),
  );
  const other = cable?.from.gearId === HUB_ID ? cable.to.gearId : cable?.from.gearId;
  const name = rig.gear.find(({ id }) => id === other)?.name;
  return name ? ` (${name})` : '';
}

/** How its notes keep with the clock to the same device, and how long the hub takes for them. */
function RouteTiming({ rig, route }: { rig: Rig; route: NoteRoute }) {
  const portId = rig.hubSockets.find(({ id }) => id === route.to)?.portId ?? '';
  const transit = useTransit((all) => all[portId]);
  const [loop] = useTakesOf('loop', 1);
  const through = loop?.lines[1]?.report;
  const beside = offsetBeside(rig, route);
  const ms = decimal(Math.abs(beside?.offsetMs ?? 0), 1);
  return (
    <div className="mt-2 text-sm text-soft">
      {beside && beside.offsetMs > 0 && (
        <p>
          Notes are sent {ms} ms later, like the clock to {beside.name}.
        </p>
      )}
      {beside && beside.offsetMs < 0 && <NotesLag gear={beside} />}
      {transit && (
        <p>
          The hub passes messages on in {decimal(transit.medianMs, 2)} ms (95% interval {decimal(transit.ci95Ms[0], 2)}{' '}
          to {decimal(transit.ci95Ms[1], 2)} ms, slowest {decimal(transit.slowestMs, 1)} ms, last {transit.count}).
        </p>
      )}
      {loop && through?.believable && (
        <p>
          Measured through a cable on {dayOf(loop.startedAt)}, the hub takes {decimal(through.medianMs, 2)} ms to pass
          notes on (95% interval {decimal(through.ci95Ms[0], 2)} to {decimal(through.ci95Ms[1], 2)} ms).
        </p>
      )}
    </div>
  );
}

/** Its clock is sent earlier than its notes can be. What is least bad depends on what matters more to the musician. */
function NotesLag({ gear: { id, name, offsetMs } }: { gear: Gear }) {
  const [ms, half] = [decimal(-offsetMs, 1), decimal(-offsetMs / 2, 1)];
  const change = async (to: number) => {
    await setOffset(id, to);
    showToast(`Offset of ${name}: ${signed(to)} ms.`, undoWhileLatest());
  };
  return (
    <>
      <p>
        Notes lag the clock to {name} by {ms} ms: its clock is sent earlier, but a note can’t be sent before it is
        played. Halfway, its clock is sent {half} ms later than now, and its notes lag it by {half} ms. Together, its
        clock is sent {ms} ms later than now, with the notes.
      </p>
      <div className="mt-1 flex flex-wrap gap-2">
        <Button onClick={() => void change(offsetMs / 2)}>Meet halfway</Button>
        <Button onClick={() => void change(0)}>Keep together</Button>
      </div>
    </>
  );
}

function RouteFields({
  number,
  route,
  ins,
  outs,
  nameOf,
  facts,
  onChange,
  onDelete,
}: {
  number: number;
  route: NoteRoute;
  facts: ReactNode;
  ins: Rig['hubSockets'];
  outs: Rig['hubSockets'];
  nameOf: (socketId: string) => string;
  onChange: (next: Partial<NoteRoute>) => void;
  onDelete: () => void;
}) {
  const sockets = (key: 'from' | 'to', all: Rig['hubSockets']) => (id: string) => (
    <Select id={id} value={route[key]} onChange={({ target }) => onChange({ [key]: target.value })}>
      {all.map((socket) => (
        <option key={socket.id} value={socket.id}>
          {socket.label}
          {nameOf(socket.id)}
        </option>
      ))}
    </Select>
  );
  const channels = (key: 'fromChannel' | 'toChannel', any: string) => (id: string) => (
    <Select
      id={id}
      value={route[key] ?? ''}
      onChange={({ target }) => onChange({ [key]: target.value === '' ? null : Number(target.value) })}
    >
      <option value="">{any}</option>
      {CHANNELS.map((channel) => (
        <option key={channel} value={channel}>
          {channel}
        </option>
      ))}
    </Select>
  );
  return (
    <fieldset className="border border-rule p-2.5">
      <legend className="flex items-center gap-2 px-1 text-xs text-soft">
        Route {number}
        <Button tone="quiet" className="!px-1 !py-0" aria-label={`Delete route ${number}`} onClick={onDelete}>
          <Trash2 size={14} aria-hidden />
        </Button>
      </legend>
      <div className="grid grid-cols-[1fr_92px] gap-2">
        <Field label="From">{sockets('from', ins)}</Field>
        <Field label="Channel">{channels('fromChannel', 'all')}</Field>
        <Field label="To">{sockets('to', outs)}</Field>
        <Field label="Channel">{channels('toChannel', 'same')}</Field>
      </div>
      <div className="mt-2 flex flex-wrap gap-x-4">
        {PASSES.map((what) => (
          <Check
            key={what}
            label={PASS_LABELS[what]}
            checked={route.passes[what]}
            onChange={() => onChange({ passes: { ...route.passes, [what]: !route.passes[what] } })}
          />
        ))}
      </div>
      {route.passes.notes && <NoteRange number={number} route={route} onChange={onChange} />}
      {facts}
    </fieldset>
  );
}
