import { X } from 'lucide-react';
import type { Socket } from '@metronomo/core';
import { showToast } from '../../toasts/toast-store';
import { useMidiAccess, webMidi } from '../../ports/web-midi';
import { usePorts } from '../../ports/port-registry';
import type { MidiPort } from '../../ports/port-adapter';
import { changeRig, undoWhileLatest } from '../../studio/rig';
import { canDisconnect, kindOf } from '../../ports/port-ids';
import { Button } from '../../parts/button';
import { GuideLink } from '../../parts/guide-link';
import { Notice } from '../../parts/notice';
import type { Rig } from '../../store/records';
import { addPort, withoutSocket } from '../../store/rig-plan';
import { Check } from '../../parts/check';

const PROBLEMS = {
  refused:
    'The browser blocked MIDI. Allow MIDI for this page in the address bar, then connect again. Your rig is unchanged.',
  unsupported:
    'This browser doesn’t support Web MIDI, so its MIDI ports can’t be used. Network MIDI below works in any browser, and so do takes of sound, recorded files and the demo.',
  failed: 'Couldn’t open the MIDI ports. Another app may be using them: close it, then connect again.',
} as const;

const DIRECTIONS = [
  ['in', 'Inputs', 'input'],
  ['out', 'Outputs', 'output'],
] as const;

/** This computer's MIDI ports, once the musician connects them, and the ones the hub uses. */
export function PortPanel({ rig }: { rig: Rig }) {
  const { outputs, inputs } = usePorts();
  const { access, sysex } = useMidiAccess();
  const problem = access in PROBLEMS ? PROBLEMS[access as keyof typeof PROBLEMS] : null;
  const needsSysex = rig.gear.some(({ syncsTo, mmc }) => syncsTo === 'timecode' || mmc);
  const isAdopted = ({ id, direction }: MidiPort) =>
    rig.hubSockets.some((socket) => socket.portId === id && socket.direction === direction);
  const free = [...outputs, ...inputs].filter((port) => !isAdopted(port));
  return (
    <section aria-label="MIDI ports">
      <h2 className="mb-2 text-lg font-bold">MIDI ports</h2>
      {access !== 'granted' && (
        <Button disabled={access === 'asking'} onClick={() => void webMidi.request({ sysex: needsSysex })}>
          Connect MIDI ports
        </Button>
      )}
      {problem && (
        <div className="mt-3">
          <Notice>
            {problem} <GuideLink page="recording">What works without MIDI</GuideLink>
          </Notice>
        </div>
      )}
      {access === 'granted' && outputs.length + inputs.length === 0 && (
        <p className="text-sm text-soft">No MIDI ports found. Plug in a device; its ports appear automatically.</p>
      )}
      {rig.hubSockets.length > 0 && <HubSockets rig={rig} />}
      {free.length > 0 && (
        <>
          <h3 className="mt-3 font-bold">Available ports</h3>
          {DIRECTIONS.map(([direction, heading, word]) => (
            <PortGroup key={direction} heading={heading} label={`Available ${heading.toLowerCase()}`}>
              {free
                .filter((port) => port.direction === direction)
                .map((port) => (
                  <li key={port.id} className="ruled-b flex items-center justify-between gap-2 py-1">
                    <span className="truncate">{port.name}</span>
                    <Button
                      tone="quiet"
                      className="shrink-0"
                      aria-label={`Add ${port.name}, ${word}`}
                      onClick={() => void changeRig((before) => addPort(before, port.id, port.name, direction))}
                    >
                      Add
                    </Button>
                  </li>
                ))}
            </PortGroup>
          ))}
        </>
      )}
      {access === 'granted' && !sysex && (
        <p className="mt-2 text-sm text-soft">
          SysEx is blocked, so timecode full frames, machine control and identity requests can’t be sent.{' '}
          <Button tone="quiet" className="!px-0 underline" onClick={() => void webMidi.request({ sysex: true })}>
            Allow SysEx
          </Button>
        </p>
      )}
      {access === 'unasked' && (
        <p className="mt-2 text-xs text-soft">
          {needsSysex
            ? 'Timecode and machine control need SysEx, so Metronomo asks for it.'
            : 'Clock and notes don’t need SysEx, so Metronomo doesn’t ask for it.'}
        </p>
      )}
    </section>
  );
}

/** One direction's ports; nothing while there are none. */
function PortGroup({ heading, label, children }: { heading: string; label: string; children: React.ReactElement[] }) {
  if (children.length === 0) return null;
  return (
    <>
      <p className="mt-2 text-xs text-soft">{heading}</p>
      <ul className="text-sm" aria-label={label}>
        {children}
      </ul>
    </>
  );
}

/** The hub's ports and their state. */
function HubSockets({ rig }: { rig: Rig }) {
  const { outputs, inputs } = usePorts();
  const { access, inUse } = useMidiAccess();
  const stateOf = ({ portId, direction }: Socket) => {
    if (portId && !canDisconnect(portId)) return { state: 'stand-in', ink: 'text-soft' };
    const port = (direction === 'in' ? inputs : outputs).find(({ id }) => id === portId);
    if (portId && inUse.has(portId)) return { state: 'in use', ink: 'text-wrong' };
    if (port?.connected) return { state: 'connected', ink: 'text-good' };
    const isPeer = kindOf(portId ?? '') === 'network';
    if (access !== 'granted' && !isPeer) return { state: 'no MIDI access', ink: 'text-soft' };
    return { state: 'disconnected', ink: 'text-wrong' };
  };
  const remove = async (socket: Socket) => {
    await changeRig((before) => withoutSocket(before, socket.id));
    showToast(`Removed ${socket.label} from the hub, with its cables and routes.`, undoWhileLatest());
  };
  const obey = (socket: Socket) =>
    void changeRig((before) => ({
      ...before,
      hubSockets: before.hubSockets.map((one) => (one.id === socket.id ? { ...one, obeys: !one.obeys } : one)),
    }));
  const sendToLeader = (socket: Socket) =>
    void changeRig((before) => ({
      ...before,
      hubSockets: before.hubSockets.map((one) =>
        one.id === socket.id ? { ...one, sendsToLeader: !one.sendsToLeader } : one,
      ),
    }));
  const leader = rig.gear.find(({ id }) => id === rig.leaders[0]);
  return (
    <div role="group" aria-label="Hub ports">
      {DIRECTIONS.map(([direction, heading, word]) => (
        <PortGroup key={direction} heading={heading} label={`Hub ${heading.toLowerCase()}`}>
          {rig.hubSockets
            .filter((socket) => socket.direction === direction)
            .map((socket) => {
              const { state, ink } = stateOf(socket);
              return (
                <li key={socket.id} className="ruled-b py-1">
                  <div className="flex items-center justify-between gap-2">
                    <span className="truncate">{socket.label}</span>
                    <span className="flex shrink-0 items-center">
                      <span className={ink}>{state}</span>
                      <Button
                        tone="quiet"
                        className="!px-1.5"
                        aria-label={`Remove ${socket.label}, ${word}`}
                        onClick={() => void remove(socket)}
                      >
                        <X size={14} aria-hidden />
                      </Button>
                    </span>
                  </div>
                  {direction === 'out' && leader && leader.portId === socket.portId && (
                    <div title={`${leader.name} leads. The hub sends nothing on a wire that reaches it.`}>
                      <Check
                        label="Send to the leader too"
                        checked={socket.sendsToLeader ?? false}
                        onChange={() => sendToLeader(socket)}
                      />
                    </div>
                  )}
                  {direction === 'in' && (
                    <div title="Start, stop, locate and MMC from this port control the hub while it leads.">
                      <Check
                        label="Accept remote transport"
                        checked={socket.obeys ?? false}
                        onChange={() => obey(socket)}
                      />
                    </div>
                  )}
                </li>
              );
            })}
        </PortGroup>
      ))}
    </div>
  );
}
