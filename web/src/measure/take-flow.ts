import { BEATS_PER_BAR } from '@metronomo/core';
import { isMidiPort, useMidiPorts } from '../hub/midi-ports';
import { command, driveGear, measure, useSession } from '../hub/session';
import { findCalibration } from '../store/calibrations';
import { database } from '../store/database';
import type { Drive, Gear, Rig, Take } from '../store/records';
import { hubIs, newTake, record, standStill, underWay, watchStop, wasEnded } from './take-parts';

/** Time to settle before anything is measured (common practice). */
const SETTLING_BARS = 1;
/** A beat's own sound may come a little before it, and its tail after. */
const LEAD_IN_MS = 60;
const LAST_BEAT_SHARE = 0.8;
/** A longer take for a narrower interval is not worth the wait. */
const MOST_BARS = 64;
const MOST_TAKES = 3;
/** So many until one whose turn it is has found the beat, also one that begins only at a bar. */
const TURN_BARS = 2;

export interface TakeSettings {
  gearIds: string[];
  bars: number;
  drive: Drive;
  proof: boolean;
  /** Without the click on an input: by the hub's own time and what the audio path adds. */
  byCalibration?: boolean;
  /** All on this one input, one after the other, each alone; missing where each has its own. */
  onChannel?: number | undefined;
}

/** Why a take cannot begin, in words; null when it can. */
export function obstacle(
  rig: Rig,
  gear: readonly Gear[],
  input: { channels: number } | null,
  byCalibration = false,
): string | null {
  if (gear.length === 0) return 'Choose at least one follower to measure.';
  if (!input) return 'No audio input is open, so nothing would be heard. Open one in Rig.';
  if (!byCalibration && rig.input.clickChannel >= input.channels)
    return `The hub’s click is said to come back on input ${rig.input.clickChannel + 1}, but there are only ${input.channels} inputs. Choose another in Rig.`;
  for (const { name, portId, returnChannel } of gear) {
    if (portId === null) return `${name} has no port yet. Choose one in Rig.`;
    if (isMidiPort(portId)) {
      const port = useMidiPorts.getState().outputs.find((output) => output.id === portId);
      if (!port?.connected) return `The port of ${name} is not here. Connect it, or choose another in Rig.`;
    }
    if (returnChannel === null) return `Nothing hears ${name}. Choose the input it comes back on in Rig.`;
    if (!byCalibration && returnChannel === rig.input.clickChannel)
      return `${name} and the hub’s click are both said to come back on input ${returnChannel + 1}. Choose another for one of them in Rig.`;
    if (returnChannel >= input.channels)
      return `${name} is said to come back on input ${returnChannel + 1}, but there are only ${input.channels} inputs.`;
  }
  return null;
}

/** Plays, records and measures; gives the take, or null when it could not begin. */
export async function runTake(settings: TakeSettings): Promise<Take | null> {
  const { rig, input, snapshot } = useSession.getState();
  if (!rig) return null;
  const gear = takenGear(rig, settings);
  const wasRolling = snapshot.state === 'rolling';
  const byNotes = settings.drive === 'notes';
  return underWay(
    gear,
    async () => {
      const problem = obstacle(rig, gear, input, settings.byCalibration);
      if (problem !== null) throw new Error(problem);
      if (byNotes) await driveGear('notes', settings.gearIds);
      if (!wasRolling) command({ kind: 'play' });
      await hubIs('rolling');
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
        return await withoutMoved(recorded, offsets.moved);
      } finally {
        unwatch();
        offsets.stop();
      }
    },
    async () => {
      if (byNotes) await driveGear();
      if (!wasRolling) await standStill();
    },
  );
}

/** Whose offset was changed since. */
function watchOffsets(): { moved: ReadonlySet<string>; stop: () => void } {
  const moved = new Set<string>();
  const stop = useSession.subscribe(({ rig }, before) => {
    if (!rig || rig === before.rig) return;
    for (const { id, offsetMs } of rig.gear)
      if (before.rig?.gear.some((one) => one.id === id && one.offsetMs !== offsetMs)) moved.add(id);
  });
  return { moved, stop };
}

/** What was moved while it was measured says nothing of either place. */
async function withoutMoved(take: Take, moved: ReadonlySet<string>): Promise<Take> {
  const isMoved = ({ gearId }: Take['lines'][number]) => gearId !== null && moved.has(gearId);
  if (!take.lines.some(isMoved)) return take;
  const lines = take.lines.map((line) => (isMoved(line) ? { ...line, moved: true } : line));
  await database.takes.update(take.id, { lines });
  return measure.analyze(take.id);
}

/** The gear of a take, heard where the take hears it. */
export function takenGear(rig: Rig, { gearIds, onChannel }: Pick<TakeSettings, 'gearIds' | 'onChannel'>): Gear[] {
  const gear = rig.gear.filter(({ id }) => gearIds.includes(id));
  return onChannel === undefined ? gear : gear.map((one) => ({ ...one, returnChannel: onChannel }));
}

/** How long it plays, besides settling at the beginning. */
export function secondsOf(
  { gearIds, bars, onChannel }: Pick<TakeSettings, 'gearIds' | 'bars' | 'onChannel'>,
  bpm: number,
) {
  const turns = onChannel === undefined ? 1 : gearIds.length;
  return ((turns * bars + (turns - 1) * TURN_BARS) * BEATS_PER_BAR * 60) / bpm;
}

/** One after the other: the others are sent nothing meanwhile. Who was silent before is so again afterwards. */
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
  // Everybody, also who is not measured: one input hears them all.
  const silent = (alone: string | null) => {
    for (const { id } of rig?.gear ?? []) {
      const muted = alone === null ? before.includes(id) : id !== alone;
      command({ kind: 'mute', feedId: id, muted });
    }
  };
  const turns = lines.map(({ gearId, within: [fromMs] }, turn) =>
    // The first has its turn at once; each of the others as soon as the one before it was heard.
    setTimeout(() => silent(gearId), turn === 0 ? 0 : fromMs - TURN_BARS * barMs - performance.now()),
  );
  try {
    const last = lines.at(-1);
    return await record({ ...take, lines }, firstMs - LEAD_IN_MS, last?.within[1] ?? firstMs, 'one after the other');
  } finally {
    turns.forEach(clearTimeout);
    silent(null);
  }
}

/**
 * Takes again, and longer, until every middle is known to so many ms either way; or ends with the last take and why it cannot be
 * known so well.
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
    // An interval narrows as the root of the number of beats.
    const wanted = Math.ceil(bars * (widest.half / withinMs) ** 2 * 1.2);
    if (wanted > MOST_BARS || i === MOST_TAKES)
      return {
        take,
        short: `${widest.name} is known to ±${widest.half.toFixed(2)} ms only: it varies too much by itself. For ±${withinMs} ms it would take ${wanted} bars.`,
      };
    bars = wanted;
  }
}

/** @throws Error in words when the audio path was not measured. */
async function beatsByCalibration(input: string, firstMs: number): Promise<{ bpm: number; firstBeatMs: number }> {
  const calibration = await findCalibration(input);
  if (!calibration)
    throw new Error('What this audio path adds is not known yet. Measure it first: “What does my audio path add?”');
  return { bpm: useSession.getState().snapshot.bpm, firstBeatMs: firstMs + calibration.roundTripMs };
}

/** From just before a bar, after one to settle, over so many bars of beats. In ms of the window's clock. */
export function takeWindow(bars: number): { fromMs: number; toMs: number; firstMs: number } {
  const { snapshot, snapshotAtMs } = useSession.getState();
  const beatMs = 60_000 / snapshot.bpm;
  const firstBeat = (Math.ceil(snapshot.beat / BEATS_PER_BAR) + SETTLING_BARS) * BEATS_PER_BAR;
  const firstMs = snapshotAtMs + (firstBeat - snapshot.beat) * beatMs;
  const beats = bars * BEATS_PER_BAR;
  return { firstMs, fromMs: firstMs - LEAD_IN_MS, toMs: firstMs + (beats - 1 + LAST_BEAT_SHARE) * beatMs };
}
