import { create } from 'zustand';
import { audioBufferMs } from '../audio/engine';
import { changeRig, command, useSession } from '../hub/session';
import { runTake } from '../measure/take-flow';
import { waitForHub, stopHub, wasEnded } from '../measure/take-parts';
import { count } from '../parts/numbers';
import { noteEvent } from '../store/events';
import { withAudioReturn } from '../store/gear';
import { withOffset } from '../store/rig-plan';
import type { Drive, Rig } from '../store/records';
import { listTakes } from '../store/takes';
import { driveOf, planOffsets, alignStatus, worstOf, type AlignRow } from './align-rows';

const TAKE_BARS = 8;
const MAX_ROUNDS = 3;
/** A pass helps only if it brings the worst follower below this share of its previous error. */
const HELPED = 0.9;

type AlignFlow =
  /** `rig`: the rig at the end; the outcome is shown while it is unchanged. */
  | { state: 'idle'; said: string | null; rig: Rig | null }
  | { state: 'running'; round: number; step: 'measuring' | 'applying' | 'proving' };

/** Progress of Align all, and the outcome of the last run. */
export const useAlignFlow = create<{ flow: AlignFlow }>(() => ({ flow: { state: 'idle', said: null, rig: null } }));

/**
 * Measures everyone, applies the resulting offsets and confirms them, repeating until all are within tolerance or stop
 * improving. Each pass's offsets are one undo step. Offsets to enter on a device are left alone and reported.
 */
export async function alignAll(): Promise<void> {
  if (useAlignFlow.getState().flow.state === 'running') return;
  const wasRolling = useSession.getState().snapshot.state === 'rolling';
  let said = 'Align couldn’t start. Try again.';
  try {
    said = await runPasses(wasRolling);
  } catch (error) {
    said = error instanceof Error ? error.message : 'Align couldn’t continue. Try again.';
  }
  if (!wasRolling) await stopHub().catch(() => undefined); // A failed stop doesn't change the result.
  const { rig } = useSession.getState();
  useAlignFlow.setState({ flow: { state: 'idle', said, rig } });
  // Best effort: a failed log write doesn't matter here.
  if (rig) await noteEvent({ rigId: rig.id, kind: 'offsets', lines: [`Align all: ${said}`] }).catch(() => undefined);
}

async function runPasses(wasRolling: boolean): Promise<string> {
  let worstMs = Infinity;
  for (let round = 1; ; round++) {
    showStep(round, round === 1 ? 'measuring' : 'proving');
    // Keep rolling between passes, so that followers don't have to lock again each time.
    if (!wasRolling && round === 1) {
      command({ kind: 'play', countIn: false });
      await waitForHub('rolling');
    }
    if (!(await measureAll(round > 1))) return 'Align stopped early. Press Undo to revert the offsets applied so far.';
    const { rows, tolerance, problem } = await planNow();
    if (problem !== null) return problem;
    const moved = rows.filter((row) => alignStatus(row, tolerance) === 'apply');
    // When two takes contradict each other, the next pass is the deciding third.
    const undecided = rows.some((row) => alignStatus(row, tolerance) === 'contradicted');
    if (moved.length === 0 && !undecided) return outcome(rows, tolerance, round);
    if (round > MAX_ROUNDS) return `Stopped at the limit of ${MAX_ROUNDS} passes. ${outcome(rows, tolerance, round)}`;
    if (moved.length === 0) continue;
    // Only followers being moved count: a locked one, or one set on the device, may stay off.
    const worst = Math.abs(worstOf(moved)?.awayMs ?? 0);
    if (worst > HELPED * worstMs && !undecided) return `Further passes don’t help. ${outcome(rows, tolerance, round)}`;
    worstMs = worst;
    showStep(round, 'applying');
    await applyOffsets(moved);
  }
}

function showStep(round: number, step: 'measuring' | 'applying' | 'proving'): void {
  useAlignFlow.setState({ flow: { state: 'running', round, step } });
}

/**
 * One take of the followers driven by clock and one of those driven by notes; all of them, or some. False if it ended
 * early or failed.
 */
export async function measureAll(proof: boolean, only?: readonly string[]): Promise<boolean> {
  const { rig } = useSession.getState();
  if (!rig) return false;
  for (const drive of ['clock', 'notes'] satisfies Drive[]) {
    const wanted = withAudioReturn(rig.gear).filter(({ id }) => !only || only.includes(id));
    const gearIds = wanted.flatMap((one) => (driveOf(one) === drive ? [one.id] : []));
    if (gearIds.length === 0) continue;
    const take = await runTake({ gearIds, bars: TAKE_BARS, drive, proof });
    if (!take || take.status !== 'done' || wasEnded()) return false;
  }
  return true;
}

async function planNow(): Promise<{ rows: AlignRow[]; tolerance: number; problem: string | null }> {
  const { rig } = useSession.getState();
  if (!rig) return { rows: [], tolerance: 1, problem: 'No rig is open. Open one in Rig.' };
  const { rows, problem } = planOffsets(rig, await listTakes(rig.id), audioBufferMs());
  return { rows, tolerance: rig.align.toleranceMs, problem };
}

/** All offsets in one undo step. */
export function applyOffsets(rows: readonly AlignRow[]): Promise<void> {
  return changeRig((rig: Rig) =>
    rows.reduce((moved, { gear, wantedMs }) => (wantedMs === null ? moved : withOffset(moved, gear.id, wantedMs)), rig),
  );
}

function outcome(rows: readonly AlignRow[], toleranceMs: number, round: number): string {
  const names = (standing: string) =>
    rows.filter((row) => alignStatus(row, toleranceMs) === standing).map(({ gear }) => gear.name);
  const there = names('there').length;
  const more = [
    listed(names('type'), 'Enter on the device (see Device offsets)'),
    listed(names('contradicted'), 'Varies between takes. Measure again'),
    listed(names('unmeasured'), 'No reliable measurement'),
    listed(names('limited'), 'As close as they can get'),
    listed(names('apply'), 'Still off'),
  ];
  const rounds = round === 1 ? 'no offsets changed' : `confirmed after ${count(round - 1, 'pass', 'passes')}`;
  return [
    `${there === rows.length ? `All ${there}` : `${there} of ${rows.length}`} in time, ${rounds}.`,
    ...more.filter(Boolean),
  ].join(' ');
}

function listed(names: string[], says: string): string | null {
  return names.length > 0 ? `${says}: ${names.join(', ')}.` : null;
}
