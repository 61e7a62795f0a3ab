import {
  midiStreams,
  timecodeToFrames,
  framesToSeconds,
  type Arrival,
  type HubStretch,
  type MidiStream,
} from '@metronomo/core';
import { collecting, type Look } from '../flows/collecting';
import { database } from '../store/database';
import type { Take, TakeLine, TakePlan } from '../store/records';
import { listenAlso } from '../studio/rig';
import { useSession } from '../studio/session';
import { hub } from '../studio/workers';
import { count } from '../words/numbers';
import { lineOf, lostPort, rigInUse, whenItBegan, type Port } from './experiments';
import { isRolling, playHub, stopHub } from './hub-motion';
import { does, runFlow } from './run-flow';
import { measureTake, newTake, showProgress } from './take-desk';

const SETTLING_BARS = 1;
const LOOK_EVERY_MS = 250;
/** A device may answer this much before the beat, or after the last one. */
const LEAD_IN_MS = 20;
const TAIL_MS = 200;
/** A tempo map moves the bars by more than this. */
const EVEN_MS = 0.01;
/** Of a port, as it is stored. */
const LONGEST_NAME = 60;

/** How late clock, notes and timecode come back on an input port while the hub plays: by their time stamps, without sound. */
export async function runMidiReturn(port: Port, bars: number): Promise<Take | null> {
  const wasRolling = isRolling();
  const arrivals: Arrival[] = [];
  const found: { stretch: HubStretch | null } = { stretch: null };
  const { result } = await measureTake({
    needs: { ports: [lostPort(port.portId, port.name)], input: false, motion: true },
    prepare: () => listenAlso(port.portId),
    start: playHub,
    capture: () => {
      const open = async () => {
        found.stretch = await stretchAhead(bars);
        await hub.keepArrivals(port.portId);
      };
      const look = async (): Promise<Look> => {
        for (const arrival of await hub.keepArrivals(port.portId)) arrivals.push(arrival);
        const { fromMs, toMs } = found.stretch ?? { fromMs: 0, toMs: 0 };
        const capturedSeconds = (performance.now() - fromMs) / 1000;
        if (capturedSeconds >= 0) showProgress({ capturedSeconds, wantedSeconds: (toMs - fromMs) / 1000 });
        return { done: performance.now() > toMs + TAIL_MS };
      };
      const close = async () => void (await hub.keepArrivals(null));
      const machine = collecting.provide({ actors: { open: does(open), look: does(look), close: does(close) } });
      return runFlow(machine, { input: { everyMs: LOOK_EVERY_MS } });
    },
    async analyze(ending: string | null) {
      const { stretch } = found;
      const until = ending === null ? Infinity : performance.now();
      const streams = stretch ? midiStreams(arrivals, { ...stretch, toMs: Math.min(stretch.toMs, until) }) : [];
      if (!stretch || streams.length === 0)
        throw new Error(
          ending ??
            `${arrivals.length === 0 ? `Nothing arrived from ${port.name}` : `${port.name} sent ${count(arrivals.length, 'message')}, but not enough clock, notes or timecode`}. Turn on clock, notes or timecode output on the device, and check the cable.`,
        );
      const lines = streams.map((stream) => lineFrom(stream, stretch.fromMs));
      return keepMidiTake(port, {
        bpm: stretch.bpm,
        plan: { question: 'midiReturn', port: nameOf(port) },
        lines,
        ending,
      });
    },
    recover: () => Promise.resolve(null),
    async restore() {
      listenAlso(null);
      await hub.keepArrivals(null);
      if (!wasRolling) await stopHub();
    },
  });
  return result;
}

/** Stores what was timed by MIDI alone. */
export async function keepMidiTake(
  port: Port,
  { bpm, plan, lines, ending }: { bpm: number; plan: TakePlan; lines: TakeLine[]; ending: string | null },
): Promise<Take> {
  const gear = gearBehind(port.portId);
  const take: Take = {
    ...newTake(rigInUse(), [], { bpm, plan }),
    ...{ status: 'done', input: nameOf(port), lines, gearIds: gear === null ? [] : [gear] },
    ...(ending !== null && { status: 'interrupted', ending }),
  };
  await database.takes.put(take);
  return take;
}

/** The port's name as it is stored: takes bound its length. */
export function nameOf({ name }: Port): string {
  return name.slice(0, LONGEST_NAME);
}

/** @throws Error if the tempo changes in it: ticks and beats are counted from one bar. */
async function stretchAhead(bars: number): Promise<HubStretch> {
  const { song } = rigInUse();
  const ahead = await hub.barsAhead(bars, SETTLING_BARS);
  const [beatMs = 0] = ahead?.barsMs ?? [];
  const endMs = ahead?.barsMs.at(-1) ?? 0;
  if (!ahead || endMs <= beatMs) throw new Error('The hub stopped before the take began. Play, then repeat the take.');
  const quarters = (endMs - beatMs) / (60_000 / ahead.bpm);
  if (Math.abs(quarters - Math.round(2 * quarters) / 2) * (60_000 / ahead.bpm) > EVEN_MS)
    throw new Error('The tempo changes in the next bars. Measure in a section with an even tempo.');
  return {
    fromMs: beatMs - LEAD_IN_MS,
    toMs: endMs - LEAD_IN_MS,
    beatMs,
    songMs: beatMs - whenItBegan(),
    bpm: ahead.bpm,
    codeSeconds: framesToSeconds(timecodeToFrames(song.timecodeStart, song.rate), song.rate),
    rate: song.rate,
  };
}

function lineFrom({ what, pulsesMs, onsetsMs, landings, report }: MidiStream, zeroMs: number): TakeLine {
  const fromZero = (ms: number) => ms - zeroMs;
  return {
    ...lineOf(streamName(what), 0),
    ...{ report, landings, pulsesMs: pulsesMs.map(fromZero), onsetsMs: onsetsMs.map(fromZero) },
  };
}

export function streamName(what: MidiStream['what']): string {
  if (what.kind === 'note') return `Note ${what.note}, channel ${what.channel}`;
  return what.kind === 'clock' ? 'Clock' : 'Timecode';
}

/** The device on the cable to this input port. */
function gearBehind(portId: string): string | null {
  const { rig } = useSession.getState();
  const socket = rig?.hubSockets.find((one) => one.direction === 'in' && one.portId === portId);
  const from = rig?.cables.find(({ to }) => to.socketId === socket?.id)?.from.gearId;
  return rig?.gear.find(({ id }) => id === from)?.id ?? null;
}
