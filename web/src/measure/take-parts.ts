import type { HubSnapshot } from '@metronomo/core';
import * as Comlink from 'comlink';
import { create } from 'zustand';
import { onPortChange } from '../hub/midi-ports';
import { command, measure, useSession } from '../hub/session';
import { audioBufferMs } from '../audio/engine';
import type { Drive, Gear, Rig, Take, TakeBeats, TakePlan } from '../store/records';
import { indexedAs } from '../store/take-kind';
import type { TakeProgress } from './protocol';

/** From asking the hub to play or stop until it does. */
const LONGEST_WAIT_MS = 10_000;

type TakeFlow =
  | { state: 'idle'; problem: string | null }
  | { state: 'settling' | 'recording' | 'measuring'; progress: TakeProgress | null; words?: string };

/** The take under way, if any. */
export const useTakeFlow = create<{ flow: TakeFlow; latest: Take | null }>(() => ({
  flow: { state: 'idle', problem: null },
  latest: null,
}));

/** Ends the take under way; what it has is kept and measured. */
export function endTake(): void {
  ended = true;
  void measure.endTake('The take was ended early.');
}

let ended = false;

/** Whether the take under way was ended by hand. */
export function wasEnded(): boolean {
  return ended;
}

/**
 * Lets one take go its way: nothing else begins meanwhile, trouble with the gear's ports ends it, and afterwards everything is
 * put back as it was. Gives the take, or null where it could not begin; what was there before stays as it is.
 */
export async function underWay(
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
    trouble = error instanceof Error ? error.message : 'The take failed.';
  }
  unwatch();
  // Another take may begin once everything is as it was before this one: else it would see the hub stop, and end by that.
  await putBack().catch(() => undefined); // the take is what counts
  useTakeFlow.setState({ flow: { state: 'idle', problem: trouble }, ...(take && { latest: take }) });
  return take;
}

/** Records from one moment to another of the window's clock, and measures; its progress shows. */
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

/** A take that is about to be recorded, a line for each piece of gear. */
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

/** @throws Error in words for a musician when the hub does not get there. */
export function hubIs(state: HubSnapshot['state']): Promise<void> {
  return new Promise((resolve, reject) => {
    const reached = () => useSession.getState().snapshot.state === state;
    if (reached()) return resolve();
    const giveUp = setTimeout(() => {
      unsubscribe();
      reject(
        new Error(
          `The hub is not ${state} yet: this computer may be too busy. Close what is not needed, then take again.`,
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

/** A port that vanishes ends the take with what it has. */
function watchPorts(gear: readonly Gear[]): () => void {
  return onPortChange(({ id, name, connected }) => {
    const lost = gear.find(({ portId }) => portId === id);
    if (lost && !connected)
      void measure.endTake(`The port of ${lost.name} (${name}) went away during this take. Connect it and take again.`);
  });
}

/** Somebody who presses stop ends the take with what it has. */
export function watchStop(): () => void {
  return useSession.subscribe(({ snapshot }, before) => {
    if (before.snapshot.state === 'rolling' && snapshot.state === 'stopped')
      void measure.endTake('The hub was stopped during this take.');
  });
}

/** Stops the hub, and waits until it stands. */
export async function standStill(): Promise<void> {
  command({ kind: 'stop' });
  await hubIs('stopped');
}

export function later(ms: number): Promise<void> {
  return new Promise((resolve) => setTimeout(resolve, ms));
}
