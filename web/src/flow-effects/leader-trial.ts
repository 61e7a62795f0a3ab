import { create } from 'zustand';
import type { Gear } from '../store/records';
import { setTrialLeader } from '../studio/hub-plan';
import type { TrialCandidate } from '../studio/leader-candidates';
import { useSession } from '../studio/session';
import { endClockTake, runClockTake, runTrafficTakes, useClockFlow, type TrafficLine } from './clock-flow';
import { runStarts } from './experiments';
import { stopHub } from './hub-motion';
import { isStandIn, leaderStarts, leaderStops } from './leader-hands';
import { endTake } from './take-desk';
import { useTakeFlow } from './take-state';
import { runTake } from './take-flow';

/** The step of the trial under way; null if there is none. */
export const useTrial = create<{ words: string | null; problem: string | null }>(() => ({
  words: null,
  problem: null,
}));

const CLOCK_SECONDS = 20;
const BARS = 4;
const STARTS = 4;
const LEAST_RUN_MS = 3000;
const RUN_BEATS = 8;
const NEVER = new AbortController().signal;

let cancel: AbortController | null = null;
let skip: AbortController | null = null;

/** Ends the trial; what was measured stays. */
export function cancelTrial(): void {
  cancel?.abort();
  skipCandidate();
}

/** Goes on with the next one who may lead. */
export function skipCandidate(): void {
  skip?.abort();
  endClockTake();
  endTake();
}

/**
 * Lets each candidate lead in turn: a take of its clock, one more with traffic on `line` if there is one, one of the
 * followers, and a few starts. The rig stays as it is. The takes say who led, so that they can be compared side by side.
 */
export async function runTrial(
  candidates: readonly TrialCandidate[],
  followers: readonly Gear[],
  line: TrafficLine | null,
): Promise<void> {
  if (cancel) return;
  cancel = new AbortController();
  const { signal } = cancel;
  useTrial.setState({ words: 'Preparing…', problem: null });
  try {
    await standStill();
    for (const [i, candidate] of candidates.entries()) {
      if (signal.aborted) return;
      skip = new AbortController();
      const tell = (what: string) =>
        useTrial.setState({ words: `${i + 1} of ${candidates.length}: ${candidate.name}, ${what}` });
      const gear = followers.filter(({ id }) => id !== candidate.id);
      await oneLeads(candidate, { gear, line }, tell, skip.signal).catch((error: unknown) => {
        if (skip?.signal.aborted) return;
        throw error;
      });
    }
  } catch (error) {
    useTrial.setState({ problem: error instanceof Error ? error.message : String(error) });
  } finally {
    cancel = skip = null;
    await setTrialLeader(null);
    useTrial.setState({ words: null });
  }
}

const isPlaying = () => useSession.getState().snapshot.state !== 'stopped';

/** @throws Error with a message for the musician if another device plays, which only they can stop. */
async function standStill(): Promise<void> {
  const { rig, snapshot } = useSession.getState();
  if (!isPlaying()) return;
  const leader = rig?.gear.find(({ id }) => id === snapshot.leader);
  if (leader) throw new Error(`Stop ${leader.name} first: the trial begins with a start.`);
  await stopHub();
}

async function oneLeads(
  { id, name, portId }: TrialCandidate,
  { gear, line }: { gear: readonly Gear[]; line: TrafficLine | null },
  tell: (what: string) => void,
  signal: AbortSignal,
): Promise<void> {
  await setTrialLeader(id);
  if (isPlaying()) await stopHub();
  const go = () => signal.throwIfAborted();
  tell('starting');
  await leaderStarts(id, signal);
  try {
    if (portId !== null) {
      tell(`clock, ${CLOCK_SECONDS} s${line ? `, then ${CLOCK_SECONDS} s with traffic` : ''}`);
      const source = { portId, name };
      await (line ? runTrafficTakes(source, CLOCK_SECONDS, line) : runClockTake(source, CLOCK_SECONDS));
      const { flow } = useClockFlow.getState();
      if (flow.state === 'idle' && flow.problem !== null) throw new Error(flow.problem);
      go();
    }
    tell('followers');
    const gearIds = gear.map((one) => one.id);
    const { problem } = await runTake({ gearIds, bars: BARS, drive: 'clock', proof: false });
    go();
    if (problem !== null) throw new Error(problem);
  } finally {
    tell('stopping');
    // Nobody is asked to stop what was skipped: the hub just doesn’t follow it any more.
    const byItself = id === 'hub' || isStandIn(id);
    if (isPlaying() && (byItself || !signal.aborted)) await leaderStops(id, byItself ? NEVER : signal);
  }
  const byClock = gear.filter(({ syncsTo }) => syncsTo === 'clock');
  if (byClock.length === 0) return;
  tell('starts');
  const { bpm } = useSession.getState().snapshot;
  const runMs = Math.max(LEAST_RUN_MS, (RUN_BEATS * 60_000) / bpm);
  await runStarts({ gear: byClock, asks: { question: 'starts', fromBeat: 0 }, starts: STARTS, runMs, bpm });
  go();
  const { flow } = useTakeFlow.getState();
  if (flow.state === 'idle' && flow.problem !== null) throw new Error(flow.problem);
}
