import { audioBufferMs } from '../audio/engine';
import { recording, type Turn } from '../flows/recording';
import { untilKnown, type Known } from '../flows/until-known';
import { canDisconnect } from '../ports/port-ids';
import { usePorts } from '../ports/port-registry';
import { findCalibration } from '../store/calibrations';
import { database } from '../store/database';
import { onSameInput } from '../store/gear';
import type { Drive, Gear, Rig, Take, TakeBeats, TakePlan } from '../store/records';
import { setExperiment } from '../studio/hub-plan';
import { useSession } from '../studio/session';
import { hub, measure } from '../studio/workers';
import type { Measured, Measurement } from './flow-desk';
import { isRolling, playHub, stopHub } from './hub-motion';
import { count, decimal } from '../words/numbers';
import { does, runFlow, type RunningFlow } from './run-flow';
import { analyzeTake, endTake, measureTake, newTake, portsOf, Recorder } from './take-desk';
import { useTakeFlow } from './take-state';

/** Time to settle before measuring (common practice). */
const SETTLING_BARS = 1;
/** A beat's own sound may start slightly before it, and its tail follows. */
export const LEAD_IN_MS = 60;
const LAST_BEAT_SHARE = 0.8;
/** Bars for a device to lock at its turn, even one that can only start on a bar. */
const TURN_BARS = 2;

export interface TakeSettings {
  gearIds: string[];
  bars: number;
  drive: Drive;
  proof: boolean;
  /** Without a click input: the hub clock minus the audio round trip. */
  byCalibration?: boolean;
  /** The input shared by all, one device at a time; missing if each has its own. */
  onChannel?: number | undefined;
}

/** Why a take can't start, as a sentence; null if it can. */
export function obstacle(
  rig: Rig,
  gear: readonly Gear[],
  input: { channels: number } | null,
  { byCalibration = false, inTurns = false }: { byCalibration?: boolean | undefined; inTurns?: boolean } = {},
): string | null {
  if (rig.gear.length === 0) return 'No gear yet. Add a device in Rig.';
  if (gear.length === 0) return 'Choose at least one follower to measure.';
  if (!input) return 'No audio input is open. Open one in Rig.';
  if (!byCalibration && rig.input.clickChannel >= input.channels)
    return `The click input is set to input ${rig.input.clickChannel + 1}, but the interface has only ${input.channels} inputs. Choose another in Rig.`;
  for (const one of gear) {
    const { name, portId, returnChannel } = one;
    if (portId === null) return `${name} has no output port. Choose one in Rig.`;
    if (canDisconnect(portId)) {
      const port = usePorts.getState().outputs.find((output) => output.id === portId);
      if (!port?.connected) return `The output port of ${name} is not connected. Connect it, or choose another in Rig.`;
    }
    if (returnChannel === null) return `${name} has no audio return. Choose one in Rig.`;
    if (!byCalibration && returnChannel === rig.input.clickChannel)
      return `${name} and the hub’s click share input ${returnChannel + 1}. Move one of them to another input in Rig.`;
    if (returnChannel >= input.channels)
      return `The audio return of ${name} is set to input ${returnChannel + 1}, but the interface has only ${input.channels} inputs. Choose another in Rig.`;
    const [other] = inTurns ? [] : onSameInput(gear, one);
    if (other)
      return `${name} and ${other.name} come in on the same input, ${(returnChannel ?? 0) + 1}, and would be heard as one. Measure one at a time on that input.`;
  }
  return null;
}

/** @throws Error with the obstacle. */
export function checkObstacles(gear: readonly Gear[], how: Parameters<typeof obstacle>[3] = {}): void {
  const { rig, input } = useSession.getState();
  const problem = rig ? obstacle(rig, gear, input, how) : 'No rig is open. Open one in Rig.';
  if (problem !== null) throw new Error(problem);
}

/** Plays, records and analyzes; the result is null if it couldn't start. */
export async function runTake(settings: TakeSettings): Promise<Measured<Take>> {
  const { rig } = useSession.getState();
  const gear = rig ? gearInTake(rig, settings) : [];
  const wasRolling = isRolling();
  const moved = watchOffsets();
  const measured = await measureTake({
    needs: { ports: portsOf(gear), input: true, motion: true },
    async prepare() {
      const { byCalibration, onChannel } = settings;
      checkObstacles(gear, { byCalibration, inTurns: onChannel !== undefined });
      if (settings.drive === 'notes') await setExperiment({ byNotes: settings.gearIds });
    },
    start: playHub,
    ...framedTake((frame) => ({ ...frameFacts(settings, frame), gear }), settings),
    async restore() {
      await setExperiment({});
      if (!wasRolling) await stopHub();
    },
  });
  moved.stop();
  return { ...measured, result: measured.result && (await dropMoved(measured.result, moved.ids)) };
}

interface FrameFacts {
  gear: readonly Gear[];
  proof?: boolean;
  drive?: Drive;
  plan?: TakePlan;
  beats?: TakeBeats | Promise<TakeBeats>;
}

function frameFacts(
  { drive, proof, byCalibration = false }: TakeSettings,
  { bpm, beatsMs }: { bpm: number; beatsMs: number[] },
): Omit<FrameFacts, 'gear'> {
  return { drive, proof, ...(byCalibration && { beats: beatsByCalibration(bpm, beatsMs[0] ?? 0) }) };
}

/** Records whole bars after one bar to settle, over exactly the stretch that the hub plays them. */
export function framedTake(
  factsFor: (frame: { bpm: number; beatsMs: number[] }) => FrameFacts,
  { bars, gearIds = [], onChannel }: { bars: number; gearIds?: string[]; onChannel?: number | undefined },
  finishing: (take: Take) => Take = (take) => take,
): Pick<Measurement<Take | null, Take>, 'capture' | 'analyze' | 'recover'> {
  const recorder = new Recorder();
  const turns = onChannel === undefined ? [] : gearIds;
  const wanted: { take: Take | null; fromMs: number; toMs: number } = { take: null, fromMs: 0, toMs: 0 };
  const frame = async (): Promise<Turn[]> => {
    const { rig } = useSession.getState();
    const ahead = await hub.barsAhead(barsIn(bars, turns.length), SETTLING_BARS);
    if (!rig || !ahead) throw new Error('The hub stopped before the take began. Play, then repeat the take.');
    const { beats, gear, ...facts } = factsFor(ahead);
    const take = newTake(rig, gear, { ...facts, bpm: ahead.bpm, ...(beats && { beats: await beats }) });
    const windows = windowsOf(ahead, bars, Math.max(1, turns.length));
    const lines = turns.length > 0 ? take.lines.map((line, i) => within(line, windows[i])) : take.lines;
    wanted.take = finishing({ ...take, lines });
    wanted.fromMs = windows[0]?.[0] ?? 0;
    wanted.toMs = windows.at(-1)?.[1] ?? 0;
    return turns.map((gearId, i) => ({ gearId, afterMs: turnAfterMs(ahead.barsMs, bars, i) }));
  };
  return {
    capture: () => {
      const machine = recording.provide({
        actors: {
          frame: does(frame),
          record: does(() => {
            if (!wanted.take) throw new Error('The take has no frame.');
            const words = turns.length > 0 ? 'one device at a time' : undefined;
            return recorder.record(wanted.take, wanted.fromMs, wanted.toMs, words);
          }),
        },
        actions: {
          finish: recorder.finish,
          soloTurn: (_, { gearId }) => {
            if (gearId !== null) void setExperiment({ ...useSession.getState().experiment, alone: gearId });
          },
        },
      });
      return recorded(runFlow(machine));
    },
    analyze: analyzeTake,
    recover: (why) => recorder.recover(why),
  };
}

/** What a recorder's machine has recorded. */
export function recorded({ done, send }: RunningFlow<{ recorded: unknown }>): RunningFlow<Take | null> {
  return { done: done.then((output) => output.recorded as Take | null), send };
}

/** Playing time of a take in bars; every turn after the first begins with bars for the device to lock. */
function barsIn(bars: number, turns: number): number {
  return turns < 2 ? bars : turns * bars + (turns - 1) * TURN_BARS;
}

/** Where each turn is recorded, ms: from just before its first beat to well into its last one. */
function windowsOf({ beatsMs, barsMs }: { beatsMs: number[]; barsMs: number[] }, bars: number, turns: number) {
  return Array.from({ length: turns }, (_, turn): [number, number] => {
    const first = barsMs[turn * (bars + TURN_BARS)] ?? 0;
    const end = barsMs[turn * (bars + TURN_BARS) + bars] ?? first;
    const last = beatsMs.findLast((ms) => ms < end - 1) ?? first;
    return [first - LEAD_IN_MS, last + LAST_BEAT_SHARE * (end - last)];
  });
}

/** A device's turn begins as soon as the one before was recorded. */
function turnAfterMs(barsMs: number[], bars: number, turn: number): number {
  if (turn === 0) return 0;
  const endOf = (one: number) => (one < 0 ? performance.now() : (barsMs[one * (bars + TURN_BARS) + bars] ?? 0));
  return endOf(turn - 1) - endOf(turn - 2);
}

function within<Line extends Take['lines'][number]>(line: Line, window: [number, number] | undefined): Line {
  return window ? { ...line, within: window } : line;
}

/** Devices whose offset changed during the take. */
function watchOffsets(): { ids: ReadonlySet<string>; stop: () => void } {
  const ids = new Set<string>();
  const stop = useSession.subscribe(({ rig }, before) => {
    if (!rig || rig === before.rig) return;
    for (const { id, offsetMs } of rig.gear)
      if (before.rig?.gear.some((one) => one.id === id && one.offsetMs !== offsetMs)) ids.add(id);
  });
  return { ids, stop };
}

/** An offset moved during the measurement invalidates both positions. */
async function dropMoved(take: Take, moved: ReadonlySet<string>): Promise<Take> {
  const isMoved = ({ gearId }: Take['lines'][number]) => gearId !== null && moved.has(gearId);
  if (!take.lines.some(isMoved)) return take;
  const lines = take.lines.map((line) => (isMoved(line) ? { ...line, moved: true } : line));
  await database.takes.update(take.id, { lines });
  return measure.analyze(take.id);
}

/** The gear of a take, with the audio return the take uses. */
export function gearInTake(rig: Rig, { gearIds, onChannel }: Pick<TakeSettings, 'gearIds' | 'onChannel'>): Gear[] {
  const gear = rig.gear.filter(({ id }) => gearIds.includes(id));
  return onChannel === undefined ? gear : gear.map((one) => ({ ...one, returnChannel: onChannel }));
}

/** Playing time beyond settling, in seconds; a bar has `quarters` quarter notes. */
export function secondsOf(
  { gearIds, bars, onChannel }: Pick<TakeSettings, 'gearIds' | 'bars' | 'onChannel'>,
  bpm: number,
  quarters: number,
): number {
  return (barsIn(bars, onChannel === undefined ? 1 : gearIds.length) * quarters * 60) / bpm;
}

/**
 * Repeats takes, longer each time, until every median is within this interval; otherwise ends with the last take, and the
 * Bench says why.
 */
export async function runUntilKnown(settings: TakeSettings, withinMs: number): Promise<Take | null> {
  const takes: { last: Take | null } = { last: null };
  const machine = untilKnown.provide({
    actors: {
      take: does(async ({ bars }: { bars: number }): Promise<Known> => {
        const { result, ended } = await runTake({ ...settings, bars });
        takes.last = result;
        return { take: result, whole: result?.status === 'done' && !ended, widest: widestOf(result) };
      }),
    },
    actions: { passOnEnd: endTake },
  });
  const { short } = await runFlow(machine, { input: { bars: settings.bars, withinMs } }).done;
  if (short)
    useTakeFlow.setState({
      flow: {
        state: 'idle',
        problem: `${short.name} is measured to ±${decimal(short.halfMs, 2)} ms only, because it has too much jitter. Reaching ±${withinMs} ms would take ${count(short.wantedBars, 'bar')}.`,
      },
    });
  return takes.last;
}

function widestOf(take: Take | null): Known['widest'] {
  return (take?.lines ?? []).reduce(
    (most, { name, report }) => {
      const halfMs = report ? (report.ci95Ms[1] - report.ci95Ms[0]) / 2 : NaN;
      return halfMs > most.halfMs ? { name, halfMs } : most;
    },
    { name: '', halfMs: 0 },
  );
}

/** @throws Error with a message for the musician if the audio round trip isn't measured. */
async function beatsByCalibration(bpm: number, firstMs: number): Promise<TakeBeats> {
  const calibration = await findCalibration(useSession.getState(), audioBufferMs());
  if (!calibration)
    throw new Error(
      'The audio round trip isn’t measured with this buffer and sample rate. Measure it first under “What is my audio round trip?”',
    );
  const { roundTripMs } = calibration;
  return { bpm, firstBeatMs: firstMs + roundTripMs, roundTripMs };
}
