import * as Comlink from 'comlink';
import { audioBufferMs } from '../audio/engine';
import { playedBetween } from '../audio/played-clicks';
import type { TakeProgress } from '../measure/protocol';
import type { Drive, Gear, Rig, Take, TakeBeats, TakePlan } from '../store/records';
import { database } from '../store/database';
import { indexedAs, leaderHeard } from '../store/take-kind';
import { loadTake, markTakeInterrupted } from '../store/takes';
import { updateOrHold } from '../store/unsaved';
import { inputDesk } from '../studio/input';
import { useSession } from '../studio/session';
import { factsOf } from '../studio/song-facts';
import { measure } from '../studio/workers';
import { showToast } from '../toasts/toast-store';
import { FlowDesk, type Measured, type Measurement } from './flow-desk';
import { useTakeFlow } from './take-state';

const desk = new FlowDesk();

/** Finishes the current take early; what it has is kept and analyzed. */
export function endTake(): void {
  desk.end();
}

const NOT_STARTED: Measured<Take> = { result: null, problem: null, ended: false };

/** Carries out a take, one at a time; the Bench shows its progress, and why it failed. */
export async function measureTake<Captured>(its: Measurement<Captured, Take>): Promise<Measured<Take>> {
  if (desk.busy) return NOT_STARTED;
  const measured = await inputDesk.withClickOnTime(() =>
    desk.run(its, (state) => {
      if (state === 'preparing') useTakeFlow.setState({ flow: { state: 'settling', progress: null } });
      if (state === 'analyzing' || state === 'recovering')
        useTakeFlow.setState({ flow: { state: 'measuring', progress: null } });
    }),
  );
  if (!measured) return NOT_STARTED;
  const { result, problem } = measured;
  useTakeFlow.setState({
    flow: { state: 'idle', problem: problem ?? result?.ending ?? null },
    ...(result && { latest: result }),
  });
  return measured;
}

export function showProgress(progress: TakeProgress, words?: string): void {
  useTakeFlow.setState({ flow: { state: 'recording', progress, ...(words && { words }) } });
}

/** A take being recorded by the worker that measures. */
export class Recorder {
  #takeId: string | null = null;

  /** Records from one moment to another of the window's clock; null if nothing was heard. */
  async record(take: Take, fromMs: number, toMs: number, words?: string): Promise<Take> {
    this.#takeId = take.id;
    const tell = Comlink.proxy((progress: TakeProgress) => showProgress(progress, words));
    return measure.record(take, fromMs, toMs, tell);
  }

  finish = (_: unknown, { why }: { why: string }): void => {
    void measure.endTake(why);
  };

  /** After the worker or the flow failed: what is stored is kept and says why it is short. */
  async recover(why: string | null): Promise<Take | null> {
    if (this.#takeId === null) return null;
    const ending = why ?? 'The take failed.';
    await measure.endTake(ending);
    return recoverTake(this.#takeId, ending);
  }
}

export async function recoverTake(takeId: string, why: string): Promise<Take | null> {
  if (!(await markTakeInterrupted(takeId, why))) return null;
  await measure.analyze(takeId);
  return (await loadTake(takeId)) ?? null;
}

/** A take that ended before any audio arrived is reported, but has no result. */
export async function analyzeTake(take: Take | null): Promise<Take | null> {
  if (!take || take.frames === 0) return take;
  const { take: measured, saved } = await measure.keepTake(withClicks(take));
  if (saved) return measured;
  const { id, status, frames, lines, ending, computeMs } = measured;
  await updateOrHold(database.takes, id, {
    status,
    frames,
    lines,
    ...(ending && { ending }),
    ...(computeMs && { computeMs }),
  });
  showToast(
    'Browser storage is full. The audio of this take is saved; its results are kept only until you close the page. Delete takes you don’t need in Logbook.',
  );
  return measured;
}

/** Beats of a take without a click input: counted in frames if this page played the clicks and captured the take. */
function withClicks(take: Take): Take {
  const { beats, firstFrame, frames, sampleRate } = take;
  if (!('bpm' in beats) || firstFrame === undefined) return take;
  const { roundTripMs = 0 } = beats;
  const clicksMs = playedBetween(firstFrame, firstFrame + frames).map(
    (frame) => ((frame - firstFrame) / sampleRate) * 1000 + roundTripMs,
  );
  return clicksMs.length > 0 ? { ...take, beats: { ...beats, clicksMs } } : take;
}

export interface TakeFacts {
  bpm: number;
  proof?: boolean;
  drive?: Drive;
  plan?: TakePlan;
  beats?: TakeBeats;
}

/** A take about to be recorded, with a line per device. */
export function newTake(rig: Rig, gear: readonly Gear[], facts: TakeFacts): Take {
  const { input, snapshot } = useSession.getState();
  const { bpm, plan, proof = false, drive = 'clock', beats = { clickChannel: rig.input.clickChannel } } = facts;
  const take: Omit<Take, 'kind' | 'gearIds'> = {
    id: crypto.randomUUID(),
    rigId: rig.id,
    startedAt: Date.now(),
    source: 'live',
    proof,
    status: 'recording',
    sampleRate: 0,
    frames: 0,
    bpm,
    beatsPerBar: factsOf(rig.song, rig.bpm).meter.meterAt(snapshot.beat).beatsPerBar,
    drive,
    input: input?.label ?? '',
    inputSource: rig.input.sourceId,
    beats,
    ...(plan && { plan }),
    ...(leaderHeard(plan) === undefined && { ledBy: snapshot.leader }),
    conditions: { version: __APP_VERSION__, bufferMs: audioBufferMs() },
    lines: gear.map(({ id, name, returnChannel, offsetMs, portId, offset }) => ({
      gearId: id,
      name,
      channel: returnChannel ?? 0,
      offsetMs,
      wiredTo: portId,
      ownOffset: offset.own,
      report: null,
      landings: [],
      pulsesMs: [],
      onsetsMs: [],
    })),
  };
  return { ...take, ...indexedAs(take) };
}

/** Losing a device's output port ends its take. */
export function portsOf(gear: readonly Gear[]): Measurement<unknown, unknown>['needs']['ports'] {
  return gear.flatMap(({ portId, name }) =>
    portId === null
      ? []
      : [
          {
            portId,
            sentence: (port: string) =>
              `The output port of ${name} (${port}) was disconnected during the take. Reconnect it and repeat the take.`,
          },
        ],
  );
}
