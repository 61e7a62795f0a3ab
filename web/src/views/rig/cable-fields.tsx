import { HUB_ID, RigError, type Cable, type SocketRef } from '@metronomo/core';
import { useState } from 'react';
import { usePorts } from '../../ports/port-registry';
import type { MidiPort } from '../../ports/port-adapter';
import { changeRig } from '../../studio/rig';
import { useSession } from '../../studio/session';
import { Field, Select } from '../../parts/field';
import { Notice } from '../../parts/notice';
import type { Gear, Rig } from '../../store/records';
import { connect, disconnect, setInputPort, setOutputPort } from '../../store/rig-plan';

/** The device's connections: a port of the hub, or another device's out or thru. */
export function CableFields({ gear }: { gear: Gear }) {
  const rig = useSession(({ rig }) => rig);
  const { outputs, inputs } = usePorts();
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
  const feeding = rig.cables.find(({ from, to }) => from.gearId === HUB_ID && to.gearId === gear.id);
  const fedBy = rig.hubSockets.find(({ id }) => id === feeding?.from.socketId)?.portId ?? '';
  const change = async (make: (before: Rig) => Rig) => {
    try {
      await changeRig(make);
      setProblem(null);
    } catch (error) {
      if (!(error instanceof RigError)) throw error;
      setProblem(error.message);
    }
  };
  const hangsOn = rig.cables.find(({ from, to }) => to.gearId === gear.id && from.gearId !== HUB_ID);
  return (
    <>
      <Field label="Output port">
        {(id) => (
          <Select
            id={id}
            value={fedBy}
            onChange={({ target }) =>
              void change((before) =>
                setOutputPort(before, gear.id, ports.find((port) => port.id === target.value) ?? null),
              )
            }
          >
            <option value="">not connected</option>
            {ports.map((port) => (
              <option key={port.id} value={port.id}>
                {port.name}
              </option>
            ))}
          </Select>
        )}
      </Field>
      <Field label="Connected through">
        {(id) => (
          <Select
            id={id}
            value={hangsOn ? refText(hangsOn.from) : ''}
            onChange={({ target }) => void change((before) => connectThrough(before, gear, target.value, hangsOn))}
          >
            <option value="">none</option>
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
        <Field label="Input port">
          {(id) => (
            <Select
              id={id}
              value={comesInBy}
              onChange={({ target }) =>
                void change((before) =>
                  setInputPort(before, gear.id, insOfHub.find((port) => port.id === target.value) ?? null),
                )
              }
            >
              <option value="">not connected</option>
              {insOfHub.map((port) => (
                <option key={port.id} value={port.id}>
                  {port.name}
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

/** How dense the notes are on the device's cable, for the traffic estimate. */
export function NoteTrafficField({ gear }: { gear: Gear }) {
  const into = useSession(({ rig }) => rig?.cables.find(({ to }) => to.gearId === gear.id));
  if (!into) return null;
  return (
    <Field label="Note traffic">
      {(id) => (
        <Select
          id={id}
          value={into.notesPerSecond}
          onChange={({ target }) => void changeRig((before) => withNotes(before, into.id, Number(target.value)))}
        >
          {[...new Set([...NOTES_PER_SECOND.keys(), into.notesPerSecond])].map((rate) => (
            <option key={rate} value={rate}>
              {NOTES_PER_SECOND.get(rate) ?? `${rate} per s`}
            </option>
          ))}
        </Select>
      )}
    </Field>
  );
}

const NOTES_PER_SECOND = new Map([
  [0, 'none, sync only'],
  [4, 'melody, 4 per s'],
  [12, 'chords, 12 per s'],
  [60, 'dense, 60 per s'],
]);

function withNotes(rig: Rig, cableId: string, notesPerSecond: number): Rig {
  return { ...rig, cables: rig.cables.map((one) => (one.id === cableId ? { ...one, notesPerSecond } : one)) };
}

const refText = ({ gearId, socketId }: SocketRef) => JSON.stringify([gearId, socketId]);

/** Replaces the cable with one from another socket, into the matching in. */
function connectThrough(rig: Rig, gear: Gear, wanted: string, old: Cable | undefined): Rig {
  const bare = old ? disconnect(rig, old.id) : rig;
  if (wanted === '') return bare;
  const [gearId = '', socketId = ''] = JSON.parse(wanted) as string[];
  const link = rig.gear.find(({ id }) => id === gearId)?.sockets.find(({ id }) => id === socketId)?.link;
  const ins = gear.sockets.filter(({ direction }) => direction === 'in');
  const target = ins.find((socket) => socket.link === link) ?? ins[0];
  return connect(bare, { gearId, socketId }, { gearId: gear.id, socketId: target?.id ?? '' });
}
