import { BEATS_PER_BAR } from '@metronomo/core';
import { wiresOf } from '../hub/feeds';
import { isMidiPort, useMidiPorts } from '../hub/midi-ports';
import { command, driveGear, measure, useSession } from '../hub/session';
import { findCalibration } from '../store/calibrations';
import { database } from '../store/database';
import type { Drive, Gear, Rig, Take } from '../store/records';
import { waitForHub, newTake, record, stopHub, runExclusively, watchStop, wasEnded } from './take-parts';
import { count, decimal } from '../parts/numbers';

/** Time to settle before measuring (common practice). */
const SETTLING_BARS = 1;
/** A beat's own sound may start slightly before it, and its tail follows. */
const LEAD_IN_MS = 60;
const LAST_BEAT_SHARE = 0.8;
/** Beyond this length, narrowing the interval isn't worth the wait. */
const MAX_BARS = 64;
const MAX_TAKES = 3;
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
  byCalibration = false,
): string | null {
  if (gear.length === 0) return 'Choose at least one follower to measure.';
  if (!input) return 'No audio input is open. Open one in Rig.';
  if (!byCalibration && rig.input.clickChannel >= input.channels)
    return `The click input is set to input ${rig.input.clickChannel + 1}, but the interface has only ${input.channels} inputs. Choose another in Rig.`;
  for (const { name, portId, returnChannel } of gear) {
    if (portId === null) return `${name} has no output port. Choose one in Rig.`;
    if (isMidiPort(portId)) {
      const port = useMidiPorts.getState().outputs.find((output) => output.id === portId);
      if (!port?.connected) return `The output port of ${name} is not connected. Connect it, or choose another in Rig.`;
    }
    if (returnChannel === null) return `${name} has no audio return. Choose one in Rig.`;
    if (!byCalibration && returnChannel === rig.input.clickChannel)
      return `${name} and the hub’s click share input ${returnChannel + 1}. Move one of them to another input in Rig.`;
    if (returnChannel >= input.channels)
      return `The audio return of ${name} is set to input ${returnChannel + 1}, but the interface has only ${input.channels} inputs. Choose another in Rig.`;
  }
  return null;
}

/** Plays, records and analyzes; returns the take, or null if it couldn't start. */
export async function runTake(settings: TakeSettings): Promise<Take | null> {
  const { rig, input, snapshot } = useSession.getState();
  if (!rig) return null;
  const gear = gearInTake(rig, settings);
  const wasRolling = snapshot.state === 'rolling';
  const byNotes = settings.drive === 'notes';
  return runExclusively(
    gear,
    async () => {
      const problem = obstacle(rig, gear, input, settings.byCalibration);
      if (problem !== null) throw new Error(problem);
      if (byNotes) await driveGear('notes', settings.gearIds);
      if (!wasRolling) command({ kind: 'play' });
      await waitForHub('rolling');
      const { fromMs, toMs, firstMs } = takeWindow(settings.bars);
      const beats = settings.byCalibration ? await beatsByCalibration(input?.label ?? '', firstMs) : undefined;
      const unwatch = watchStop();
      const offsets = watchOffsets();
      try {
        const take = newTake(rig, gear, { ...settings, ...(beats && { beats }) });
        const recorded =
          settings.onChannel === undefined
            ? await record(take, fromMs, toMs)
            : await recordInTurn(take, settings.bars, firstMs);
        return await dropMoved(recorded, offsets.moved);
      } finally {
        unwatch();
        offsets.stop();
      }
    },
    async () => {
      if (byNotes) await driveGear();
      if (!wasRolling) await stopHub();
    },
  );
}

/** Devices whose offset changed during the take. */
function watchOffsets(): { moved: ReadonlySet<string>; stop: () => void } {
  const moved = new Set<string>();
  const stop = useSession.subscribe(({ rig }, before) => {
    if (!rig || rig === before.rig) return;
    for (const { id, offsetMs } of rig.gear)
      if (before.rig?.gear.some((one) => one.id === id && one.offsetMs !== offsetMs)) moved.add(id);
  });
  return { moved, stop };
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

/** Playing time, beyond settling. */
export function secondsOf(
  { gearIds, bars, onChannel }: Pick<TakeSettings, 'gearIds' | 'bars' | 'onChannel'>,
  bpm: number,
) {
  const turns = onChannel === undefined ? 1 : gearIds.length;
  return ((turns * bars + (turns - 1) * TURN_BARS) * BEATS_PER_BAR * 60) / bpm;
}

/** One at a time: the others are muted meanwhile, and their previous state is restored afterwards. */
async function recordInTurn(take: Take, bars: number, firstMs: number): Promise<Take> {
  const barMs = (BEATS_PER_BAR * 60_000) / useSession.getState().snapshot.bpm;
  const turnMs = (TURN_BARS + bars) * barMs;
  const lastsMs = bars * barMs - ((1 - LAST_BEAT_SHARE) * barMs) / BEATS_PER_BAR;
  const lines = take.lines.map((line, turn) => {
    const beginsMs = firstMs + turn * turnMs;
    return { ...line, within: [beginsMs - LEAD_IN_MS, beginsMs + lastsMs] satisfies [number, number] };
  });
  const { snapshot, rig } = useSession.getState();
  const before = snapshot.muted;
  // Everyone, measured or not: they share one input.
  const silent = (alone: string | null) => {
    if (!rig) return;
    const port = rig.gear.find(({ id }) => id === alone)?.portId;
    // A device driven by notes has a feed of its own, the others one per wire.
    for (const feedId of [...wiresOf(rig).wires.map(({ portId }) => portId), ...rig.gear.map(({ id }) => id)]) {
      const muted = alone === null ? before.includes(feedId) : feedId !== port && feedId !== alone;
      command({ kind: 'mute', feedId, muted });
    }
  };
  const turns = lines.map(({ gearId, within: [fromMs] }, turn) =>
    // The first is unmuted immediately, each other one as soon as the one before was recorded.
    setTimeout(() => silent(gearId), turn === 0 ? 0 : fromMs - TURN_BARS * barMs - performance.now()),
  );
  try {
    const last = lines.at(-1);
    return await record({ ...take, lines }, firstMs - LEAD_IN_MS, last?.within[1] ?? firstMs, 'one device at a time');
  } finally {
    turns.forEach(clearTimeout);
    silent(null);
  }
}

/**
 * Repeats takes, longer each time, until every median is within this interval; otherwise ends with the last take and
 * the reason.
 */
export async function runUntilKnown(
  settings: TakeSettings,
  withinMs: number,
): Promise<{ take: Take | null; short: string | null }> {
  let { bars } = settings;
  for (let i = 1; ; i++) {
    const take = await runTake({ ...settings, bars });
    if (!take || take.status !== 'done' || wasEnded()) return { take, short: null };
    const widest = take.lines.reduce(
      (most, { name, report }) => {
        const half = report ? (report.ci95Ms[1] - report.ci95Ms[0]) / 2 : NaN;
        return half > most.half ? { name, half } : most;
      },
      { name: '', half: 0 },
    );
    if (widest.half <= withinMs) return { take, short: null };
    // An interval narrows with the square root of the number of beats.
    const wanted = Math.ceil(bars * (widest.half / withinMs) ** 2 * 1.2);
    if (wanted > MAX_BARS || i === MAX_TAKES)
      return {
        take,
        short: `${widest.name} is measured to ±${decimal(widest.half, 2)} ms only, because it has too much jitter. Reaching ±${withinMs} ms would take ${count(wanted, 'bar')}.`,
      };
    bars = wanted;
  }
}

/** @throws Error with a message for the musician if the audio round trip isn't measured. */
async function beatsByCalibration(input: string, firstMs: number): Promise<{ bpm: number; firstBeatMs: number }> {
  const calibration = await findCalibration(input);
  if (!calibration)
    throw new Error('The audio round trip isn’t measured yet. Measure it first under “What is my audio round trip?”');
  return { bpm: useSession.getState().snapshot.bpm, firstBeatMs: firstMs + calibration.roundTripMs };
}

/** From just before a bar line, after one bar to settle, over this many bars. In ms of the window's clock. */
export function takeWindow(bars: number): { fromMs: number; toMs: number; firstMs: number } {
  const { snapshot, snapshotAtMs } = useSession.getState();
  const beatMs = 60_000 / snapshot.bpm;
  const firstBeat = (Math.ceil(snapshot.beat / BEATS_PER_BAR) + SETTLING_BARS) * BEATS_PER_BAR;
  const firstMs = snapshotAtMs + (firstBeat - snapshot.beat) * beatMs;
  const beats = bars * BEATS_PER_BAR;
  return { firstMs, fromMs: firstMs - LEAD_IN_MS, toMs: firstMs + (beats - 1 + LAST_BEAT_SHARE) * beatMs };
}
