import { HUB_ID, RigError, type Cable, type SocketRef } from '@metronomo/core';
import { useState } from 'react';
import { useMidiPorts, type MidiPort } from '../../hub/midi-ports';
import { changeRig, useSession } from '../../hub/session';
import { Field, Select } from '../../parts/field';
import { Notice } from '../../parts/notice';
import type { Gear, Rig } from '../../store/records';
import { connect, disconnect, leadFromPort, leadToPort } from '../../store/rig-plan';

/** Where the cables in gear's sockets come from: a port of the hub, or somebody's out or thru. */
export function CableFields({ gear }: { gear: Gear }) {
  const rig = useSession(({ rig }) => rig);
  const { outputs, inputs } = useMidiPorts();
  const [problem, setProblem] = useState<string | null>(null);
  if (!rig) return null;
  const portsOf = (wanted: 'in' | 'out', here: readonly MidiPort[]) => {
    const adopted = rig.hubSockets.filter(({ direction }) => direction === wanted);
    return [
      ...adopted.flatMap(({ portId, label }) => (portId ? [{ id: portId, name: label }] : [])),
      ...here.filter(({ id }) => !adopted.some(({ portId }) => portId === id)),
    ];
  };
  const ports = portsOf('out', outputs);
  const insOfHub = portsOf('in', inputs);
  const back = rig.cables.find(({ from, to }) => from.gearId === gear.id && to.gearId === HUB_ID);
  const comesInBy = rig.hubSockets.find(({ id }) => id === back?.to.socketId)?.portId ?? '';
  const change = async (make: (before: Rig) => Rig) => {
    try {
      await changeRig(make);
      setProblem(null);
    } catch (error) {
      if (!(error instanceof RigError)) throw error;
      setProblem(error.message);
    }
  };
  const into = rig.cables.find(({ to }) => to.gearId === gear.id);
  const hangsOn = rig.cables.find(({ from, to }) => to.gearId === gear.id && from.gearId !== HUB_ID);
  return (
    <>
      <Field label="Port it is sent to">
        {(id) => (
          <Select
            id={id}
            value={gear.portId ?? ''}
            onChange={({ target }) =>
              void change((before) =>
                leadToPort(before, gear.id, ports.find((port) => port.id === target.value) ?? null),
              )
            }
          >
            <option value="">no port</option>
            {ports.map((port) => (
              <option key={port.id} value={port.id}>
                {port.name}
              </option>
            ))}
          </Select>
        )}
      </Field>
      <Field label="or hangs on">
        {(id) => (
          <Select
            id={id}
            value={hangsOn ? refText(hangsOn.from) : ''}
            onChange={({ target }) => void change((before) => hang(before, gear, target.value, hangsOn))}
          >
            <option value="">nothing else</option>
            {rig.gear
              .filter((one) => one.id !== gear.id)
              .flatMap((one) =>
                one.sockets
                  .filter(({ direction }) => direction !== 'in')
                  .map((socket) => (
                    <option key={`${one.id}/${socket.id}`} value={refText({ gearId: one.id, socketId: socket.id })}>
                      {one.name}, {socket.label}
                    </option>
                  )),
              )}
          </Select>
        )}
      </Field>
      {gear.sockets.some(({ direction }) => direction === 'out') && (
        <Field label="Port it comes in by">
          {(id) => (
            <Select
              id={id}
              value={comesInBy}
              onChange={({ target }) =>
                void change((before) =>
                  leadFromPort(before, gear.id, insOfHub.find((port) => port.id === target.value) ?? null),
                )
              }
            >
              <option value="">no port</option>
              {insOfHub.map((port) => (
                <option key={port.id} value={port.id}>
                  {port.name}
                </option>
              ))}
            </Select>
          )}
        </Field>
      )}
      {into && (
        <Field label="Notes on its cable">
          {(id) => (
            <Select
              id={id}
              value={into.notesPerSecond}
              onChange={({ target }) => void change((before) => withNotes(before, into.id, Number(target.value)))}
            >
              {[...new Set([...NOTES_PER_SECOND.keys(), into.notesPerSecond])].map((count) => (
                <option key={count} value={count}>
                  {NOTES_PER_SECOND.get(count) ?? `${count} a second`}
                </option>
              ))}
            </Select>
          )}
        </Field>
      )}
      {problem && (
        <div className="col-span-2">
          <Notice>{problem}</Notice>
        </div>
      )}
    </>
  );
}

const NOTES_PER_SECOND = new Map([
  [0, 'none, only time'],
  [4, 'a tune: 4 a second'],
  [12, 'chords: 12 a second'],
  [60, 'dense: 60 a second'],
]);

function withNotes(rig: Rig, cableId: string, notesPerSecond: number): Rig {
  return { ...rig, cables: rig.cables.map((one) => (one.id === cableId ? { ...one, notesPerSecond } : one)) };
}

const refText = ({ gearId, socketId }: SocketRef) => JSON.stringify([gearId, socketId]);

/** In place of the cable that was there, one from another socket, into the in that fits it. */
function hang(rig: Rig, gear: Gear, wanted: string, old: Cable | undefined): Rig {
  const bare = old ? disconnect(rig, old.id) : rig;
  if (wanted === '') return bare;
  const [gearId = '', socketId = ''] = JSON.parse(wanted) as string[];
  const link = rig.gear.find(({ id }) => id === gearId)?.sockets.find(({ id }) => id === socketId)?.link;
  const ins = gear.sockets.filter(({ direction }) => direction === 'in');
  const target = ins.find((socket) => socket.link === link) ?? ins[0];
  return connect(bare, { gearId, socketId }, { gearId: gear.id, socketId: target?.id ?? '' });
}
