import { HUB_ID } from '@metronomo/core';
import clsx from 'clsx';
import type { ReactNode } from 'react';
import { useSetUp, type PortChoice } from '../../flow-effects/set-up-flow';
import type { Gear, Rig } from '../../store/records';
import { cablePath } from '../rig/cable-path';
import { useCalibration } from '../bench/round-trip';
import { decimal } from '../../words/numbers';

/** Whether the input of the hub’s click is known: it was heard there now, or for a round trip before. */
export function useClickFound(): boolean {
  const click = useSetUp(({ click }) => click);
  const calibration = useCalibration();
  return typeof click === 'object' || Boolean(calibration);
}

const ROW = 22;
const TITLE = 32;
/** Width of the hub and the inputs, and where devices begin, px. */
const LEFT = 116;
const RIGHT = 196;
const DEVICE = 54;
const DEVICE_EVERY = 68;
const APART = 36;
/** Where a device receives, and where its sound comes out, px below its top. */
const SYNC_AT = 16;
const SOUND_AT = 40;
const FIRST_LANE = 14;
const LANE = 7;
const LANES = 9;
const STRAIGHT = { gapY: null, bottom: 0, lane: 0 };

/** A drawing of what the set-up knows: the outputs in use, the devices on them, and the inputs they come back on. */
export function FoundSoFar({ rig, currentId }: { rig: Rig; currentId: string | null }) {
  const calibration = useCalibration();
  const clickFound = useClickFound();
  const trying = useSetUp(({ trying, answer }) => trying?.port ?? answer?.port ?? null);
  const outputs = outputsOf(rig, trying);
  const inputs = inputsOf(rig, clickFound);
  const hubHeight = TITLE + ROW * Math.max(1, outputs.length) + 6;
  const inputsTop = hubHeight + APART;
  const inputsHeight = TITLE + ROW * Math.max(1, inputs.length) + 6;
  const height = Math.max(inputsTop + inputsHeight, rig.gear.length * DEVICE_EVERY);
  const outputY = (portId: string | null) => {
    const row = outputs.findIndex(({ id }) => id === portId);
    return row < 0 ? null : TITLE + ROW * (row + 0.5);
  };
  const inputY = (channel: number | null) => {
    const row = inputs.findIndex((one) => one.channel === channel);
    return row < 0 ? null : inputsTop + TITLE + ROW * (row + 0.5);
  };
  return (
    <section aria-labelledby="found">
      <h2 id="found" className="mb-3 text-sm text-soft">
        Found so far
      </h2>
      <ul className="sr-only">
        {rig.gear.map((gear) => (
          <li key={gear.id}>{inWords(gear, outputs, inMidi(rig, gear.id))}</li>
        ))}
        {clickFound && <li>Hub click: comes in on input {rig.input.clickChannel + 1}</li>}
      </ul>
      <div aria-hidden className="relative text-xs" style={{ height }}>
        <svg className="absolute inset-0 size-full overflow-visible" fill="none" strokeWidth={1.5}>
          {rig.gear.map(({ id, portId, returnChannel, syncsTo }, i) => {
            const top = i * DEVICE_EVERY;
            const isTried = id === currentId && trying !== null;
            const [fromY, toY] = [outputY(isTried ? trying.id : portId), inputY(returnChannel)];
            const lane = RIGHT - FIRST_LANE - (i % LANES) * LANE;
            return (
              <g key={id}>
                {fromY !== null && (
                  <path
                    d={cablePath({ x: LEFT, y: fromY }, { x: RIGHT, y: top + SYNC_AT }, STRAIGHT)}
                    className={syncsTo === 'timecode' ? 'stroke-timecode' : 'stroke-clock'}
                    {...(isTried && { strokeDasharray: '4 4' })}
                  />
                )}
                {toY !== null && (
                  <path d={`M${RIGHT} ${top + SOUND_AT}H${lane}V${toY}H${LEFT}`} className="stroke-audio" />
                )}
              </g>
            );
          })}
        </svg>
        <Box title="Hub" top={0} height={hubHeight}>
          {outputs.map(({ id, name }) => (
            <Row key={id} className="justify-end text-clock">
              {name}
            </Row>
          ))}
          {outputs.length === 0 && <Row className="text-soft">no output yet</Row>}
        </Box>
        <Box title="Audio inputs" top={inputsTop} height={inputsHeight}>
          {inputs.map(({ channel, name }) => (
            <Row key={channel} className="text-audio">
              {channel + 1} {name}
            </Row>
          ))}
          {inputs.length === 0 && <Row className="text-soft">no sound yet</Row>}
        </Box>
        {calibration && (
          <p className="absolute left-0 mt-1 text-soft" style={{ top: inputsTop + inputsHeight, width: LEFT }}>
            round trip {decimal(calibration.roundTripMs, 1)} ms
          </p>
        )}
        {rig.gear.map((gear, i) => (
          <div
            key={gear.id}
            className={clsx(
              'absolute right-0 flex flex-col justify-center border bg-raised px-2',
              gear.portId === null ? 'border-dashed border-soft' : 'border-ink',
            )}
            style={{ top: i * DEVICE_EVERY, left: RIGHT, height: DEVICE }}
          >
            <b className="truncate text-sm">{gear.name}</b>
            <span className="truncate text-soft">{inMidi(rig, gear.id) ?? gear.syncsTo}</span>
          </div>
        ))}
      </div>
    </section>
  );
}

function Box({ title, top, height, children }: { title: string; top: number; height: number; children: ReactNode }) {
  return (
    <div className="absolute left-0 border border-ink bg-raised px-2" style={{ top, height, width: LEFT }}>
      <b className="flex items-center text-sm" style={{ height: TITLE }}>
        {title}
      </b>
      {children}
    </div>
  );
}

function Row({ className, children }: { className: string; children: ReactNode }) {
  return (
    <div className={clsx('flex items-center', className)} style={{ height: ROW }}>
      <span className="truncate">{children}</span>
    </div>
  );
}

/** The hub's outputs that are in use, and the one being tried, or waiting to be confirmed. */
function outputsOf({ hubSockets, gear }: Rig, trying: PortChoice | null): PortChoice[] {
  const used = new Set(gear.map(({ portId }) => portId));
  const outputs = hubSockets.flatMap(({ direction, portId, label }) =>
    direction === 'out' && portId && used.has(portId) ? [{ id: portId, name: label }] : [],
  );
  return trying && !used.has(trying.id) ? [...outputs, trying] : outputs;
}

/** The inputs on which something comes back, the click among them. */
function inputsOf({ gear, input }: Rig, clickFound: boolean): { channel: number; name: string }[] {
  const returns = gear.flatMap(({ returnChannel, name }) =>
    returnChannel === null ? [] : [{ channel: returnChannel, name }],
  );
  const click = clickFound ? [{ channel: input.clickChannel, name: 'click' }] : [];
  return [...click, ...returns].sort((a, b) => a.channel - b.channel);
}

/** The input port that a device sends to. */
function inMidi({ cables, hubSockets }: Rig, id: string): string | null {
  const cable = cables.find(({ from, to }) => from.gearId === id && to.gearId === HUB_ID);
  const label = hubSockets.find((socket) => socket.id === cable?.to.socketId)?.label;
  return label === undefined ? null : `sends on ${label}`;
}

function inWords({ name, portId, returnChannel }: Gear, outputs: readonly PortChoice[], sends: string | null): string {
  const output = outputs.find(({ id }) => id === portId)?.name;
  return [
    `${name}: ${output === undefined ? 'no output yet' : `receives on ${output}`}`,
    returnChannel === null ? 'no audio return' : `comes in on input ${returnChannel + 1}`,
    ...(sends === null ? [] : [sends]),
  ].join(', ');
}
