import { create } from 'zustand';
import { audioBufferMs } from '../audio/engine';
import { changeRig, command, useSession } from '../hub/session';
import { runTake } from '../measure/take-flow';
import { hubIs, standStill, wasEnded } from '../measure/take-parts';
import { noteEvent } from '../store/events';
import { heardOf } from '../store/gear';
import type { Drive, Rig } from '../store/records';
import { listTakes } from '../store/takes';
import { driveOf, planOffsets, standingOf, worstOf, type AlignRow } from './align-rows';

const TAKE_BARS = 8;
const MOST_ROUNDS = 3;
/** A round that brings the worst no nearer than this share of where it was has not helped. */
const HELPED = 0.9;

type AlignFlow =
  /** `rig`: as it stood at the end; what was said holds as long as that is so. */
  | { state: 'idle'; said: string | null; rig: Rig | null }
  | { state: 'running'; round: number; step: 'measuring' | 'applying' | 'proving' };

/** The aligning of all under way, and what the last one came to, in words. */
export const useAlignFlow = create<{ flow: AlignFlow }>(() => ({ flow: { state: 'idle', said: null, rig: null } }));

/**
 * Measures all, applies what follows from it, and proves it; again, until all are within the tolerance or come no nearer. Each
 * round's offsets are one step of undo. What is to be typed into gear by hand is left, and said.
 */
export async function alignAll(): Promise<void> {
  if (useAlignFlow.getState().flow.state === 'running') return;
  const wasRolling = useSession.getState().snapshot.state === 'rolling';
  let said = 'It could not begin.';
  try {
    said = await rounds(wasRolling);
  } catch (error) {
    said = error instanceof Error ? error.message : 'It could not go on.';
  }
  if (!wasRolling) await standStill().catch(() => undefined); // what was found is what counts
  const { rig } = useSession.getState();
  useAlignFlow.setState({ flow: { state: 'idle', said, rig } });
  // The logbook is written beside the work.
  if (rig) await noteEvent({ rigId: rig.id, kind: 'offsets', lines: [`Align all: ${said}`] }).catch(() => undefined);
}

async function rounds(wasRolling: boolean): Promise<string> {
  let worstMs = Infinity;
  for (let round = 1; ; round++) {
    tell(round, round === 1 ? 'measuring' : 'proving');
    // Once all roll they go on rolling, so that nobody has to find the beat anew in each round.
    if (!wasRolling && round === 1) {
      command({ kind: 'play', countIn: false });
      await hubIs('rolling');
    }
    if (!(await measureAll(round > 1))) return 'It was ended. What was applied so far can be taken back by Undo.';
    const { rows, tolerance, problem } = await planNow();
    if (problem !== null) return problem;
    const moved = rows.filter((row) => standingOf(row, tolerance) === 'apply');
    // Where two takes contradict each other a third decides; that is the next round's.
    const undecided = rows.some((row) => standingOf(row, tolerance) === 'contradicted');
    if (moved.length === 0 && !undecided) return outcome(rows, tolerance, round);
    if (round > MOST_ROUNDS) return `After ${MOST_ROUNDS} rounds: ${outcome(rows, tolerance, round)}`;
    if (moved.length === 0) continue;
    // Only of those that are moved: who is locked, or to be typed in, may stay off as far as it likes.
    const worst = Math.abs(worstOf(moved)?.awayMs ?? 0);
    if (worst > HELPED * worstMs && !undecided) return `It comes no nearer. ${outcome(rows, tolerance, round)}`;
    worstMs = worst;
    tell(round, 'applying');
    await applyOffsets(moved);
  }
}

function tell(round: number, step: 'measuring' | 'applying' | 'proving'): void {
  useAlignFlow.setState({ flow: { state: 'running', round, step } });
}

/** One take of those that follow a clock, one of those that are played by notes; of all, or of some. False where it was ended or failed. */
export async function measureAll(proof: boolean, only?: readonly string[]): Promise<boolean> {
  const { rig } = useSession.getState();
  if (!rig) return false;
  for (const drive of ['clock', 'notes'] satisfies Drive[]) {
    const wanted = heardOf(rig.gear).filter(({ id }) => !only || only.includes(id));
    const gearIds = wanted.flatMap((one) => (driveOf(one) === drive ? [one.id] : []));
    if (gearIds.length === 0) continue;
    const take = await runTake({ gearIds, bars: TAKE_BARS, drive, proof });
    if (!take || take.status !== 'done' || wasEnded()) return false;
  }
  return true;
}

async function planNow(): Promise<{ rows: AlignRow[]; tolerance: number; problem: string | null }> {
  const { rig } = useSession.getState();
  if (!rig) return { rows: [], tolerance: 1, problem: 'No rig is in use.' };
  const { rows, problem } = planOffsets(rig, await listTakes(rig.id), audioBufferMs());
  return { rows, tolerance: rig.align.toleranceMs, problem };
}

/** All their offsets at once: one step of undo. */
export function applyOffsets(rows: readonly AlignRow[]): Promise<void> {
  const wanted = new Map(rows.map(({ gear, wantedMs }) => [gear.id, wantedMs]));
  return changeRig((rig: Rig) => ({
    ...rig,
    gear: rig.gear.map((gear) => ({ ...gear, offsetMs: wanted.get(gear.id) ?? gear.offsetMs })),
  }));
}

function outcome(rows: readonly AlignRow[], toleranceMs: number, round: number): string {
  const names = (standing: string) =>
    rows.filter((row) => standingOf(row, toleranceMs) === standing).map(({ gear }) => gear.name);
  const there = names('there').length;
  const more = [
    listed(names('type'), 'To be typed into their own menus (see What to type)'),
    listed(names('contradicted'), 'Other in each take, so measure again'),
    listed(names('unmeasured'), 'Nothing that can be believed came from'),
    listed(names('limited'), 'Can be brought no nearer'),
    listed(names('apply'), 'Still off'),
  ];
  const rounds = round === 1 ? 'they were so already' : `proved after ${round - 1} ${round === 2 ? 'round' : 'rounds'}`;
  return [`${there} of ${rows.length} are on their place, ${rounds}.`, ...more.filter(Boolean)].join(' ');
}

function listed(names: string[], says: string): string | null {
  return names.length > 0 ? `${says}: ${names.join(', ')}.` : null;
}
