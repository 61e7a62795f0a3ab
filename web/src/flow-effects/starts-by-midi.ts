import { startsByMidi, type Arrival, type HubRun } from '@metronomo/core';
import { starts } from '../flows/starts';
import type { Take, TakeLine } from '../store/records';
import { songOf } from '../studio/feeds';
import { setExperiment } from '../studio/hub-plan';
import { listenAlso } from '../studio/rig';
import { command, hub } from '../studio/workers';
import { giveBack, lineOf, lostPort, rigInUse, whenItBegan, type Port } from './experiments';
import { hubMustLead, stopHub, waitForHub } from './hub-motion';
import { keepMidiTake, nameOf, streamName } from './midi-return';
import { does, runFlow, type RunningFlow } from './run-flow';
import { measureTake, showProgress } from './take-desk';

const MS_PER_MINUTE = 60_000;
const LOOK_EVERY_MS = 250;
const PAUSE_MS = 1200;
const TURN_MS = 400;

interface Settings {
  port: Port;
  starts: number;
  /** Duration of each run. */
  runMs: number;
  bpm: number;
  fromBeat: number;
}

/** Starts the song repeatedly and measures, without sound, where the clock and notes that come back begin. */
export async function runStartsByMidi({ port, starts: count, runMs, bpm, fromBeat }: Settings): Promise<Take | null> {
  const rig = rigInUse();
  const heard = new ArrivalsKept(port.portId, (count * (runMs + PAUSE_MS + 2 * TURN_MS)) / 1000);
  const runs: HubRun[] = [];
  const { result } = await measureTake({
    needs: { ports: [lostPort(port.portId, port.name)], input: false, motion: false },
    async prepare() {
      hubMustLead();
      await stopHub();
      await setExperiment({ song: { ...songOf(rig), tempo: [{ beat: 0, bpm }], afterStop: 'toStart' } });
      listenAlso(port.portId);
    },
    start: () => undefined,
    capture: () => {
      const machine = starts.provide({
        actors: {
          record: does((_, signal: AbortSignal) => heard.keep(signal)),
          startFromTop: does(async (_, signal: AbortSignal) => {
            command({ kind: 'locate', beat: fromBeat });
            command({ kind: 'play', countIn: false, pastEnd: true });
            await waitForHub('rolling', signal);
            const startedMs = whenItBegan() + (fromBeat * MS_PER_MINUTE) / bpm;
            runs.push({ startedMs, stoppedMs: Infinity });
          }),
          stop: does(async () => {
            await stopHub();
            runs.push({ startedMs: runs.pop()?.startedMs ?? 0, stoppedMs: performance.now() });
          }),
        },
        actions: { finish: (_, { why }) => heard.end(why), complete: () => heard.end(null) },
      });
      const flow: RunningFlow<unknown> = runFlow(machine, { input: { starts: count, runMs, pauseMs: PAUSE_MS } });
      return { done: flow.done.then(() => heard.ending), send: flow.send };
    },
    async analyze(ending: string | null) {
      // A run that was cut short has no stop.
      const whole = runs.filter(({ stoppedMs }) => stoppedMs < Infinity);
      const streams = whole.length > 0 ? startsByMidi(heard.arrivals, whole, bpm) : [];
      const [first] = whole;
      if (!first || streams.length === 0)
        throw new Error(
          ending ??
            `${port.name} sent no notes, and no clock with start. Turn on clock or notes output on the device, and check the cable.`,
        );
      const zeroMs = first.startedMs;
      const plan = {
        ...({ question: 'starts', port: nameOf(port), fromBeat } as const),
        startedMs: whole.map(({ startedMs }) => startedMs - zeroMs),
      };
      const lines = streams.map(({ what, pulsesMs, onsetsMs, report }): TakeLine => ({
        ...lineOf(streamName(what), 0),
        pulsesMs: pulsesMs.map((ms) => ms - zeroMs),
        onsetsMs: onsetsMs.map((ms) => ms - zeroMs),
        result: { question: 'starts', report },
      }));
      return keepMidiTake(port, { bpm, plan, lines, ending });
    },
    recover: () => Promise.resolve(null),
    async restore() {
      listenAlso(null);
      await hub.keepArrivals(null);
      await giveBack();
    },
  });
  return result;
}

/** Keeps what arrives on a port until it is ended. */
class ArrivalsKept {
  readonly arrivals: Arrival[] = [];
  /** Why it ended early; null if it didn't. */
  ending: string | null = null;
  readonly #portId: string;
  readonly #wantedSeconds: number;
  #ended = false;

  constructor(portId: string, wantedSeconds: number) {
    this.#portId = portId;
    this.#wantedSeconds = wantedSeconds;
  }

  end(why: string | null): void {
    this.ending = why;
    this.#ended = true;
  }

  async keep(signal: AbortSignal): Promise<void> {
    const beganMs = performance.now();
    for (let isLast = false; !isLast && !signal.aborted;) {
      isLast = this.#ended;
      for (const arrival of await hub.keepArrivals(this.#portId)) this.arrivals.push(arrival);
      showProgress(
        { capturedSeconds: (performance.now() - beganMs) / 1000, wantedSeconds: this.#wantedSeconds },
        'repeated starts',
      );
      if (!isLast) await new Promise((resolve) => setTimeout(resolve, LOOK_EVERY_MS));
    }
  }
}
