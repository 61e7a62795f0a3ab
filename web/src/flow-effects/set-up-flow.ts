import { probeBeats, probeMessages, whichInput, type HeardOnInput, type Signal } from '@metronomo/core';
import { create } from 'zustand';
import { CLICK_PORT } from '../ports/port-ids';
import type { Gear } from '../store/records';
import { controlDesk } from '../studio/controls';
import { useSession } from '../studio/session';
import { hub, measure } from '../studio/workers';
import { runCalibration } from './experiments';
import { stopHub } from './hub-motion';
import { sendWhenDue, type Due } from './send-when-due';

export interface PortChoice {
  id: string;
  name: string;
}

/** What came of a probe on an output. */
export type Tried = HeardOnInput | 'nothing';

interface SetUpState {
  /** The output that is being tried, when its beats are due, ms of the window's clock, and the output tried before. */
  trying: { port: PortChoice; beatsMs: number[]; before: PortChoice | null } | null;
  /** What was heard, by port. */
  tried: Readonly<Record<string, Tried>>;
  /** The output that made the device play, by its sound; the musician confirms it. */
  answer: { port: PortChoice; heard: HeardOnInput } | null;
  /** Whether the hub's click is being looked for, and where it was heard. */
  click: 'unknown' | 'listening' | 'measuring' | Tried;
  /** The input that a device moved, and how. */
  moved: { portId: string; signal: Signal } | null;
  /** Why the last search failed. */
  problem: string | null;
}

const NOTHING: SetUpState = { trying: null, tried: {}, answer: null, click: 'unknown', moved: null, problem: null };

/** The search for outputs and inputs in the guided set-up. */
export const useSetUp = create<SetUpState>(() => NOTHING);

/** Until the first sound: the page may be busy showing the next output. */
const LEAD_MS = 700;
const AHEAD_MS = 600;
/** A device with a slow attack, and the time until its sound is analyzed. */
const TAIL_MS = 900;
const LONGEST_TAIL_MS = 4000;
const LOOK_EVERY_MS = 50;
/** Nobody reacts to a beat any sooner (common practice). */
const REACTION_MS = 150;
const CLICKS = 8;
const CLICK_EVERY_MS = 400;
const CLICK_NOTE = 77;
const NOTE_ON_10 = 0x99;

let search = new AbortController();

function begin(): AbortSignal {
  search.abort();
  search = new AbortController();
  useSetUp.setState(({ click }) => ({
    trying: null,
    answer: null,
    problem: null,
    click: click === 'listening' ? 'unknown' : click,
  }));
  return search.signal;
}

/** Ends any search; what was found stays. */
export function endSearch(): void {
  begin();
  controlDesk.stopLearning();
}

/** Forgets what was tried, for another device. */
export function forgetTried(): void {
  endSearch();
  useSetUp.setState({ tried: {}, moved: null });
}

/** The next key, control or start on any input. */
export function watchInputs(): void {
  useSetUp.setState({ moved: null });
  controlDesk.learnNext('set-up', (portId, signal) => useSetUp.setState({ moved: { portId, signal } }));
}

/** Plays a bar on one output after the other, until a device is heard, the musician stops it, or all were tried. */
export async function tryOutputs(gear: Gear, ports: readonly PortChoice[]): Promise<void> {
  const signal = begin();
  try {
    await quiet();
    for (const [i, port] of ports.entries()) {
      const atMs = performance.now() + LEAD_MS;
      const beatsMs = probeBeats(atMs);
      if (signal.aborted) return;
      useSetUp.setState({ trying: { port, beatsMs, before: ports[i - 1] ?? null } });
      const messages = probeMessages(gear, atMs).map((one) => ({ ...one, portId: port.id }));
      const heard = await heardAfter(messages, beatsMs, signal);
      if (signal.aborted) return;
      useSetUp.setState(({ tried }) => ({ tried: { ...tried, [port.id]: heard ?? 'nothing' } }));
      if (heard) {
        useSetUp.setState({ trying: null, answer: { port, heard } });
        return;
      }
    }
    useSetUp.setState({ trying: null });
  } catch (error) {
    fail(error);
  }
}

/** The musician saw the device play: the output being tried, or the one before, as long as this one can't have been seen. */
export function portThatPlays(): PortChoice | null {
  const { trying } = useSetUp.getState();
  if (!trying) return null;
  const { port, beatsMs, before } = trying;
  const isTooSoon = performance.now() < (beatsMs[0] ?? 0) + REACTION_MS;
  return (isTooSoon && before) || port;
}

/** Plays the hub's click, finds the input that hears it, and measures the audio round trip. Resolves to that input. */
export async function findClick(): Promise<number | null> {
  const signal = begin();
  useSetUp.setState({ click: 'listening' });
  try {
    await quiet();
    const atMs = performance.now() + LEAD_MS;
    const beatsMs = Array.from({ length: CLICKS }, (_, i) => atMs + i * CLICK_EVERY_MS);
    const messages = beatsMs.map((ms) => ({
      portId: CLICK_PORT,
      bytes: Uint8Array.of(NOTE_ON_10, CLICK_NOTE, 100),
      atMs: ms,
    }));
    const heard = await heardAfter(messages, beatsMs, signal, new Set());
    if (signal.aborted) return null;
    useSetUp.setState({ click: heard ?? 'nothing' });
    return heard?.channel ?? null;
  } catch (error) {
    useSetUp.setState({ click: 'unknown' });
    fail(error);
    return null;
  }
}

/** The audio round trip through the click input, as a take. */
export async function measureRoundTrip(channel: number): Promise<void> {
  // With more than two inputs, the click on one of them takes its place.
  if (useSession.getState().input?.fromTrack) return;
  const { click } = useSetUp.getState();
  useSetUp.setState({ click: 'measuring' });
  try {
    await runCalibration(channel);
  } finally {
    useSetUp.setState({ click });
  }
}

function fail(error: unknown): void {
  const problem = error instanceof Error ? error.message : 'The search failed. Try again.';
  useSetUp.setState({ trying: null, problem });
}

/** Nothing else may sound. */
async function quiet(): Promise<void> {
  if (useSession.getState().snapshot.state !== 'stopped') await stopHub();
}

async function heardAfter(
  messages: readonly Due[],
  sentMs: readonly number[],
  signal: AbortSignal,
  ignored = clickChannel(),
): Promise<HeardOnInput | null> {
  const stop = sendWhenDue(
    messages.map((one) => [one]),
    AHEAD_MS,
  );
  const lastMs = messages.at(-1)?.atMs ?? 0;
  const isHeard = () => (useSession.getState().live?.endMs ?? Infinity) > lastMs + TAIL_MS;
  const isOver = () =>
    performance.now() > lastMs + TAIL_MS && (isHeard() || performance.now() > lastMs + LONGEST_TAIL_MS);
  try {
    while (!signal.aborted && !isOver()) await new Promise((resolve) => setTimeout(resolve, LOOK_EVERY_MS));
  } finally {
    stop();
  }
  if (signal.aborted) {
    // What plays ends after what was handed over already.
    const atMs = performance.now() + AHEAD_MS;
    const left = messages.filter((one) => isEnd(one) && one.atMs > performance.now());
    void hub.sendTest(left.map((one) => ({ ...one, atMs })));
    return null;
  }
  const { input } = useSession.getState();
  const channels = Array.from({ length: input?.channels ?? 0 }, (_, channel) => measure.hitsOn(channel));
  return whichInput(await Promise.all(channels), sentMs, ignored);
}

const STOP = 0xfc;
const NOTE_OFF = 0x80;
const isEnd = ({ bytes: [status = 0] }: Due) => status === STOP || (status & 0xf0) === NOTE_OFF;

function clickChannel(): Set<number> {
  const { rig } = useSession.getState();
  return new Set(rig ? [rig.input.clickChannel] : []);
}
