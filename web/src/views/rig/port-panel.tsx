import { X } from 'lucide-react';
import type { Socket } from '@metronomo/core';
import { tell } from '../../app/toast-store';
import { requestMidiPorts, useMidiPorts, type MidiPort } from '../../hub/midi-ports';
import { changeRig, undoWhileLatest } from '../../hub/session';
import { peerKeyOf } from '../../network/port-ids';
import { Button } from '../../parts/button';
import { Notice } from '../../parts/notice';
import type { Rig } from '../../store/records';
import { adopt, withoutSocket } from '../../store/rig-plan';
import { Check } from '../../parts/check';

const PROBLEMS = {
  refused:
    'The browser was not allowed to use MIDI. Allow MIDI for this page in the browser’s address bar, then connect again. Nothing else has changed.',
  unsupported:
    'This browser has no Web MIDI. Open Metronomo in a browser that has it to reach real ports; the demo works without.',
  failed: 'The MIDI ports could not be opened. Close other programs that may hold them, then connect again.',
} as const;

/** This computer's MIDI ports, once the musician asks for them, and the hub's sockets that are such ports. */
export function PortPanel({ rig }: { rig: Rig }) {
  const { access, outputs, inputs, sysex } = useMidiPorts();
  const problem = access in PROBLEMS ? PROBLEMS[access as keyof typeof PROBLEMS] : null;
  const needsSysex = rig.gear.some(({ takes, mmc }) => takes === 'timecode' || mmc);
  const isAdopted = ({ id, direction }: MidiPort) =>
    rig.hubSockets.some((socket) => socket.portId === id && socket.direction === direction);
  const free = [...outputs, ...inputs].filter((port) => !isAdopted(port));
  return (
    <section aria-label="MIDI ports">
      <h2 className="mb-2 text-lg font-bold">MIDI ports</h2>
      {access !== 'granted' && (
        <Button disabled={access === 'asking'} onClick={() => void requestMidiPorts({ sysex: needsSysex })}>
          Connect MIDI ports
        </Button>
      )}
      {problem && (
        <div className="mt-3">
          <Notice>{problem}</Notice>
        </div>
      )}
      {access === 'granted' && outputs.length + inputs.length === 0 && (
        <p className="text-sm text-soft">No MIDI port is here. Plug one in: it appears by itself.</p>
      )}
      {rig.hubSockets.length > 0 && <HubSockets rig={rig} />}
      {free.length > 0 && (
        <>
          <h3 className="mt-3 font-bold">Not used yet</h3>
          <ul className="text-sm">
            {free.map((port) => (
              <li key={port.id + port.direction} className="ruled-b flex items-center justify-between py-1">
                <span>
                  {port.name} <span className="text-soft">{port.direction === 'in' ? 'comes in' : 'goes out'}</span>
                </span>
                <Button
                  tone="quiet"
                  aria-label={`Use it: ${port.name}, ${port.direction}`}
                  onClick={() => void changeRig((before) => adopt(before, port.id, port.name, port.direction))}
                >
                  Use it
                </Button>
              </li>
            ))}
          </ul>
        </>
      )}
      {access === 'granted' && !sysex && (
        <p className="mt-2 text-sm text-soft">
          SysEx is not allowed: no full frames, no machine control, no identity requests.{' '}
          <Button tone="quiet" className="!px-0 underline" onClick={() => void requestMidiPorts({ sysex: true })}>
            Allow SysEx too
          </Button>
        </p>
      )}
      {access === 'unasked' && (
        <p className="mt-2 text-xs text-soft">
          {needsSysex
            ? 'Timecode and machine control need SysEx, so it is asked for.'
            : 'Clock and notes need no SysEx, so it is not asked for.'}
        </p>
      )}
    </section>
  );
}

/** The hub's own sockets: each a port, here or gone. */
function HubSockets({ rig }: { rig: Rig }) {
  const { access, outputs, inputs, inUse } = useMidiPorts();
  const standing = ({ portId, direction }: Socket) => {
    if (portId?.startsWith('boathouse')) return { word: 'stand-in', ink: 'text-soft' };
    const port = (direction === 'in' ? inputs : outputs).find(({ id }) => id === portId);
    if (portId && inUse.has(portId)) return { word: 'in use', ink: 'text-wrong' };
    if (port?.connected) return { word: 'here', ink: 'text-good' };
    const isPeer = peerKeyOf(portId ?? '') !== null;
    if (access !== 'granted' && !isPeer) return { word: 'not asked', ink: 'text-soft' };
    return { word: 'gone', ink: 'text-wrong' };
  };
  const remove = async (socket: Socket) => {
    await changeRig((before) => withoutSocket(before, socket.id));
    tell(`${socket.label} is no socket of the hub any more. Its cables went with it.`, undoWhileLatest());
  };
  const obey = (socket: Socket) =>
    void changeRig((before) => ({
      ...before,
      hubSockets: before.hubSockets.map((one) => (one.id === socket.id ? { ...one, obeys: !one.obeys } : one)),
    }));
  return (
    <ul className="text-sm" aria-label="The hub’s ports">
      {rig.hubSockets.map((socket) => {
        const { word, ink } = standing(socket);
        return (
          <li key={socket.id} className="ruled-b py-1">
            <div className="flex items-center justify-between gap-2">
              <span className="truncate">
                {socket.label} <span className="text-soft">{socket.direction === 'in' ? 'comes in' : 'goes out'}</span>
              </span>
              <span className="flex shrink-0 items-center">
                <span className={ink}>{word}</span>
                <Button
                  tone="quiet"
                  className="!px-1.5"
                  aria-label={`Do not use ${socket.label}, ${socket.direction}`}
                  onClick={() => void remove(socket)}
                >
                  <X size={14} aria-hidden />
                </Button>
              </span>
            </div>
            {socket.direction === 'in' && (
              <Check
                label="its start, stop and locate are obeyed while the hub leads"
                checked={socket.obeys ?? false}
                onChange={() => obey(socket)}
              />
            )}
          </li>
        );
      })}
    </ul>
  );
}
