import { create } from 'zustand';
import { alignStatus, driveOf, planOffsets, worstOf, type AlignRow } from '../align/align-rows';
import { audioBufferMs } from '../audio/engine';
import { alignAll as machine, type AlignEnd, type Plan } from '../flows/align-all';
import { noteEvent } from '../store/events';
import { inTakes, withAudioReturn } from '../store/gear';
import type { Drive, Rig } from '../store/records';
import { withOffset } from '../store/rig-plan';
import { listTakes } from '../store/takes';
import { changeRig } from '../studio/rig';
import { useSession } from '../studio/session';
import { command } from '../studio/workers';
import { count } from '../words/numbers';
import { isRolling, stopHub, waitForHub } from './hub-motion';
import { does, runFlow } from './run-flow';
import { endTake } from './take-desk';
import { runTake } from './take-flow';

const TAKE_BARS = 8;

type AlignFlow =
  /** `rig`: the rig at the end; the outcome is shown while it is unchanged. `inTime`: all are, and that was confirmed. */
  | { state: 'idle'; said: string | null; inTime: boolean; rig: Rig | null }
  | { state: 'running'; round: number; step: 'measuring' | 'applying' | 'proving' };

/** Progress of Align all, and the outcome of the last run. */
export const useAlignFlow = create<{ flow: AlignFlow }>(() => ({
  flow: { state: 'idle', said: null, inTime: false, rig: null },
}));

interface Planned {
  rows: AlignRow[];
  toleranceMs: number;
}

/**
 * Measures everyone, applies the resulting offsets and confirms them, repeating until all are within tolerance or stop
 * improving. Each pass's offsets are one undo step. Offsets to enter on a device are left alone and reported.
 */
export async function alignAll(): Promise<void> {
  if (useAlignFlow.getState().flow.state === 'running') return;
  const wasRolling = isRolling();
  const beganAt = Date.now();
  const planned: Planned = { rows: [], toleranceMs: 1 };
  const moved = () => planned.rows.filter((row) => alignStatus(row, planned.toleranceMs) === 'apply');
  const flow = runFlow(
    machine.provide({
      actors: {
        // Keeps rolling between passes, so that followers don't have to lock again each time.
        start: does(async (_, signal: AbortSignal) => {
          if (!wasRolling) command({ kind: 'play', countIn: false, pastEnd: true });
          await waitForHub('rolling', signal);
        }),
        measure: does(({ proof }: { proof: boolean }) => measureAll(proof)),
        plan: does(async (): Promise<Plan> => {
          const { problem, ...now } = await planNow(beganAt);
          Object.assign(planned, now);
          // When two takes contradict each other, the next pass is the deciding third.
          const undecided = now.rows.some((row) => alignStatus(row, now.toleranceMs) === 'contradicted');
          // Only followers being moved count: a locked one, or one set on the device, may stay off.
          return { problem, undecided, moves: moved().length, worstMs: Math.abs(worstOf(moved())?.awayMs ?? 0) };
        }),
        apply: does(() => applyOffsets(moved())),
        stop: does(async () => {
          if (!wasRolling) await stopHub();
        }),
      },
      actions: { passOnEnd: endTake },
    }),
    {
      onState: ({ value, context: { pass } }) => {
        if (value === 'measuring') showStep(pass, pass === 1 ? 'measuring' : 'proving');
        if (value === 'applying') showStep(pass, 'applying');
      },
    },
  );
  showStep(1, 'measuring');
  const { pass, end } = await flow.done;
  const said = outcome(end, planned, pass);
  const { rig } = useSession.getState();
  const inTime =
    end.kind === 'aligned' &&
    planned.rows.length > 0 &&
    planned.rows.every((row) => alignStatus(row, planned.toleranceMs) === 'there');
  useAlignFlow.setState({ flow: { state: 'idle', said, inTime, rig } });
  // Best effort: a failed log write doesn't matter here.
  if (rig) await noteEvent({ rigId: rig.id, kind: 'offsets', lines: [`Align all: ${said}`] }).catch(() => undefined);
}

function showStep(round: number, step: 'measuring' | 'applying' | 'proving'): void {
  useAlignFlow.setState({ flow: { state: 'running', round, step } });
}

/**
 * One take of the followers driven by clock and one of those driven by notes, in turns where they share an input; all of
 * them, or some. False if it ended early or failed.
 */
export async function measureAll(proof: boolean, only?: readonly string[]): Promise<boolean> {
  const { rig } = useSession.getState();
  if (!rig) return false;
  for (const drive of ['clock', 'notes'] satisfies Drive[]) {
    const wanted = withAudioReturn(rig.gear).filter(({ id }) => !only || only.includes(id));
    for (const one of inTakes(wanted.filter((gear) => driveOf(gear) === drive))) {
      const { result: take, ended } = await runTake({ ...one, bars: TAKE_BARS, drive, proof });
      if (!take || take.status !== 'done' || ended) return false;
    }
  }
  return true;
}

async function planNow(freshFrom: number): Promise<Planned & { problem: string | null }> {
  const { rig } = useSession.getState();
  if (!rig) return { rows: [], toleranceMs: 1, problem: 'No rig is open. Open one in Rig.' };
  const { rows, problem } = planOffsets(rig, await listTakes(rig.id), { bufferMs: audioBufferMs(), freshFrom });
  return { rows, toleranceMs: rig.align.toleranceMs, problem };
}

/** All offsets in one undo step. */
export function applyOffsets(rows: readonly AlignRow[]): Promise<void> {
  return changeRig((rig: Rig) =>
    rows.reduce((moved, { gear, wantedMs }) => (wantedMs === null ? moved : withOffset(moved, gear.id, wantedMs)), rig),
  );
}

function outcome(end: AlignEnd, planned: Planned, pass: number): string {
  switch (end.kind) {
    case 'endedEarly':
      return 'Align stopped early. Press Undo to revert the offsets applied so far.';
    case 'failed':
      return end.problem;
    case 'limit':
      return `Stopped at the limit of ${pass - 1} passes. ${standing(planned, pass)}`;
    case 'noHelp':
      return `Further passes don’t help. ${standing(planned, pass)}`;
    case 'aligned':
      return standing(planned, pass);
  }
}

function standing({ rows, toleranceMs }: Planned, pass: number): string {
  const names = (status: string) =>
    rows.filter((row) => alignStatus(row, toleranceMs) === status).map(({ gear }) => gear.name);
  const there = names('there').length;
  const more = [
    listed(names('type'), 'Enter on the device (see Device offsets)'),
    listed(names('contradicted'), 'Varies between takes. Measure again'),
    listed(names('unmeasured'), 'No reliable measurement'),
    listed(names('stale'), 'Out of date. Measure again'),
    listed(names('limited'), 'As close as they can get'),
    listed(names('apply'), 'Still off'),
  ];
  const passes = pass === 1 ? 'no offsets changed' : `confirmed after ${count(pass - 1, 'pass', 'passes')}`;
  return [
    `${there === rows.length ? `All ${there}` : `${there} of ${rows.length}`} in time, ${passes}.`,
    ...more.filter(Boolean),
  ].join(' ');
}

function listed(names: string[], says: string): string | null {
  return names.length > 0 ? `${says}: ${names.join(', ')}.` : null;
}
