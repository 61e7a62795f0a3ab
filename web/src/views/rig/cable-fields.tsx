import { HUB_ID, RigError, type Cable, type SocketRef } from '@metronomo/core';
import { useState } from 'react';
import { usePorts } from '../../ports/port-registry';
import type { MidiPort } from '../../ports/port-adapter';
import { changeRig } from '../../studio/rig';
import { useSession } from '../../studio/session';
import { ChoiceField, Field, Select } from '../../parts/field';
import { Notice } from '../../parts/notice';
import type { Gear, Rig } from '../../store/records';
import { connect, disconnect, setInputPort, setOutputPort } from '../../store/rig-plan';

/** Changes the rig, and says why a change isn’t possible. */
function useCabling() {
  const [problem, setProblem] = useState<string | null>(null);
  const change = async (make: (before: Rig) => Rig) => {
    try {
      await changeRig(make);
      setProblem(null);
    } catch (error) {
      if (!(error instanceof RigError)) throw error;
      setProblem(error.message);
    }
  };
  return { problem, change };
}

/** The hub's ports that the device is connected to. */
export function PortFields({ gear }: { gear: Gear }) {
  const rig = useSession(({ rig }) => rig);
  const { outputs, inputs } = usePorts();
  const { problem, change } = useCabling();
  if (!rig) return null;
  const portsOf = (wanted: 'in' | 'out', here: readonly MidiPort[]) => {
    const adopted = rig.hubSockets.filter(({ direction }) => direction === wanted);
    return [
      ...adopted.flatMap(({ portId, label }) => (portId ? [{ id: portId, name: label }] : [])),
      ...here.filter(({ id }) => !adopted.some(({ portId }) => portId === id)),
    ];
  };
  const back = rig.cables.find(({ from, to }) => from.gearId === gear.id && to.gearId === HUB_ID);
  const feeding = rig.cables.find(({ from, to }) => from.gearId === HUB_ID && to.gearId === gear.id);
  const portOf = (socketId: string | undefined) => rig.hubSockets.find(({ id }) => id === socketId)?.portId ?? '';
  const sends = gear.sockets.some(({ direction }) => direction === 'out');
  return (
    <>
      <PortField
        label="Output port"
        ports={portsOf('out', outputs)}
        chosen={portOf(feeding?.from.socketId)}
        onChoose={(port) => void change((before) => setOutputPort(before, gear.id, port))}
      />
      {sends && (
        <PortField
          label="Input port"
          ports={portsOf('in', inputs)}
          chosen={portOf(back?.to.socketId)}
          onChoose={(port) => void change((before) => setInputPort(before, gear.id, port))}
        />
      )}
      {problem && (
        <div className="col-span-2">
          <Notice>{problem}</Notice>
        </div>
      )}
    </>
  );
}

type PortChoice = Pick<MidiPort, 'id' | 'name'>;

function PortField({
  label,
  ports,
  chosen,
  onChoose,
}: {
  label: string;
  ports: readonly PortChoice[];
  chosen: string;
  onChoose: (port: PortChoice | null) => void;
}) {
  return (
    <ChoiceField
      label={label}
      value={chosen}
      options={[['', 'not connected'], ...ports.map(({ id, name }) => [id, name] as const)]}
      onChoose={(portId) => onChoose(ports.find(({ id }) => id === portId) ?? null)}
    />
  );
}

/** The out or thru of another device that feeds it. */
export function ThroughField({ gear }: { gear: Gear }) {
  const rig = useSession(({ rig }) => rig);
  const { problem, change } = useCabling();
  if (!rig) return null;
  const old = rig.cables.find(({ from, to }) => to.gearId === gear.id && from.gearId !== HUB_ID);
  const others = rig.gear.filter((one) => one.id !== gear.id);
  return (
    <Field label="Connected through" hint="For a device behind the MIDI out or thru of another.">
      {(id, describedBy) => (
        <>
          <Select
            id={id}
            aria-describedby={describedBy}
            value={old ? refText(old.from) : ''}
            onChange={({ target }) => void change((before) => connectThrough(before, gear, target.value, old))}
          >
            <option value="">none</option>
            {others.flatMap((one) =>
              one.sockets
                .filter(({ direction }) => direction !== 'in')
                .map((socket) => (
                  <option key={`${one.id}/${socket.id}`} value={refText({ gearId: one.id, socketId: socket.id })}>
                    {one.name}, {socket.label}
                  </option>
                )),
            )}
          </Select>
          {problem && <Notice>{problem}</Notice>}
        </>
      )}
    </Field>
  );
}

/** How dense the notes are on the device's cable, for the traffic estimate. */
export function NoteTrafficField({ gear }: { gear: Gear }) {
  const into = useSession(({ rig }) => rig?.cables.find(({ to }) => to.gearId === gear.id));
  if (!into) return null;
  return (
    <ChoiceField
      label="Note traffic"
      hint="How many notes share its cable with the clock."
      value={into.notesPerSecond}
      options={[...new Set([...NOTES_PER_SECOND.keys(), into.notesPerSecond])].map(
        (rate) => [rate, NOTES_PER_SECOND.get(rate) ?? `${rate} per s`] as const,
      )}
      onChoose={(rate) => void changeRig((before) => withNotes(before, into.id, rate))}
    />
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
