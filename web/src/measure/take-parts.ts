import type { HubSnapshot } from '@metronomo/core';
import * as Comlink from 'comlink';
import { create } from 'zustand';
import { onPortChange } from '../hub/midi-ports';
import { command, measure, useSession } from '../hub/session';
import { audioBufferMs } from '../audio/engine';
import type { Drive, Gear, Rig, Take, TakeBeats, TakePlan } from '../store/records';
import { indexedAs } from '../store/take-kind';
import type { TakeProgress } from './protocol';

/** Longest wait for the hub to start or stop. */
const LONGEST_WAIT_MS = 10_000;

type TakeFlow =
  | { state: 'idle'; problem: string | null }
  | { state: 'settling' | 'recording' | 'measuring'; progress: TakeProgress | null; words?: string };

/** The current take, if any. */
export const useTakeFlow = create<{ flow: TakeFlow; latest: Take | null }>(() => ({
  flow: { state: 'idle', problem: null },
  latest: null,
}));

/** Finishes the current take early; what it has is kept and analyzed. */
export function endTake(): void {
  ended = true;
  void measure.endTake('Take finished early.');
}

let ended = false;

/** Whether the current take was finished by hand. */
export function wasEnded(): boolean {
  return ended;
}

/**
 * Runs one take exclusively: port trouble ends it, and afterwards everything is restored. Returns the take, or null if
 * it couldn't start; earlier takes are unaffected.
 */
export async function runExclusively(
  gear: readonly Gear[],
  goes: () => Promise<Take | null>,
  putBack: () => Promise<void>,
): Promise<Take | null> {
  if (useTakeFlow.getState().flow.state !== 'idle') return null;
  ended = false;
  useTakeFlow.setState({ flow: { state: 'settling', progress: null } });
  const unwatch = watchPorts(gear);
  let take: Take | null = null;
  let trouble: string | null = null;
  try {
    take = await goes();
    trouble = take?.ending ?? null;
  } catch (error) {
    trouble = error instanceof Error ? error.message : 'The take failed. Try again.';
  }
  unwatch();
  // Restore before the next take may start; otherwise that one would see the hub stop, and end. Errors don't matter:
  // the take is safe.
  await putBack().catch(() => undefined); // Best effort: the take is already stored.
  useTakeFlow.setState({ flow: { state: 'idle', problem: trouble }, ...(take && { latest: take }) });
  return take;
}

/** Records from one moment to another of the window's clock and analyzes; reports progress. */
export function record(take: Take, fromMs: number, toMs: number, words?: string): Promise<Take> {
  return measure.record(
    take,
    fromMs,
    toMs,
    Comlink.proxy((progress) =>
      useTakeFlow.setState({ flow: { state: 'recording', progress, ...(words && { words }) } }),
    ),
  );
}

export interface TakeFacts {
  proof?: boolean;
  drive?: Drive;
  plan?: TakePlan;
  beats?: TakeBeats;
}

/** A take about to be recorded, with a line per device. */
export function newTake(rig: Rig, gear: readonly Gear[], facts: TakeFacts = {}): Take {
  const { input } = useSession.getState();
  const { plan, proof = false, drive = 'clock', beats = { clickChannel: rig.input.clickChannel } } = facts;
  const take: Omit<Take, 'kind' | 'gearIds'> = {
    id: crypto.randomUUID(),
    rigId: rig.id,
    startedAt: Date.now(),
    source: 'live',
    proof,
    status: 'recording',
    sampleRate: 0,
    frames: 0,
    bpm: rig.bpm,
    drive,
    input: input?.label ?? '',
    inputSource: rig.input.sourceId,
    beats,
    ...(plan && { plan }),
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

/** @throws Error with a message for the musician if the hub doesn't reach the state in time. */
export function waitForHub(state: HubSnapshot['state']): Promise<void> {
  return new Promise((resolve, reject) => {
    const reached = () => useSession.getState().snapshot.state === state;
    if (reached()) return resolve();
    const giveUp = setTimeout(() => {
      unsubscribe();
      reject(
        new Error(
          `The hub still isn’t ${state === 'stopped' ? 'stopped' : 'playing'}. The computer may be overloaded. Close other apps, then repeat the take.`,
        ),
      );
    }, LONGEST_WAIT_MS);
    const unsubscribe = useSession.subscribe(() => {
      if (!reached()) return;
      clearTimeout(giveUp);
      unsubscribe();
      resolve();
    });
  });
}

/** A disconnected port ends the take with what it has. */
function watchPorts(gear: readonly Gear[]): () => void {
  return onPortChange(({ id, name, connected }) => {
    const lost = gear.find(({ portId }) => portId === id);
    if (lost && !connected)
      void measure.endTake(
        `The output port of ${lost.name} (${name}) was disconnected during the take. Reconnect it and repeat the take.`,
      );
  });
}

/** Pressing stop ends the take with what it has. */
export function watchStop(): () => void {
  return useSession.subscribe(({ snapshot }, before) => {
    if (before.snapshot.state === 'rolling' && snapshot.state === 'stopped')
      void measure.endTake('The hub stopped during the take.');
  });
}

/** Stops the hub and waits until it has stopped. */
export async function stopHub(): Promise<void> {
  command({ kind: 'stop' });
  await waitForHub('stopped');
}

export function delay(ms: number): Promise<void> {
  return new Promise((resolve) => setTimeout(resolve, ms));
}
