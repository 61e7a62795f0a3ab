import { BEATS_PER_BAR, type HubSnapshot } from '@metronomo/core';
import * as Comlink from 'comlink';
import { create } from 'zustand';
import { isMidiPort, onPortChange, useMidiPorts } from '../hub/midi-ports';
import { command, driveGear, measure, useSession } from '../hub/session';
import type { Drive, Gear, Rig, Take } from '../store/records';
import type { TakeProgress } from './protocol';

/** Time to settle before anything is measured (common practice). */
const SETTLING_BARS = 1;
/** A beat's own sound may come a little before it, and its tail after. */
const LEAD_IN_MS = 60;
const LAST_BEAT_SHARE = 0.8;
/** From asking the hub to play or stop until it does. */
const LONGEST_WAIT_MS = 10_000;

export interface TakeSettings {
  gearIds: string[];
  bars: number;
  drive: Drive;
  proof: boolean;
}

type TakeFlow =
  | { state: 'idle'; problem: string | null }
  | { state: 'settling' | 'recording' | 'measuring'; progress: TakeProgress | null };

/** The take under way, if any. */
export const useTakeFlow = create<{ flow: TakeFlow; latest: Take | null }>(() => ({
  flow: { state: 'idle', problem: null },
  latest: null,
}));

/** Why a take cannot begin, in words; null when it can. */
export function obstacle(rig: Rig, gear: readonly Gear[], input: { channels: number } | null): string | null {
  if (gear.length === 0) return 'Choose at least one follower to measure.';
  if (!input) return 'No audio input is open, so nothing would be heard. Open one in Rig.';
  if (rig.input.clickChannel >= input.channels)
    return `The hub’s click is said to come back on input ${rig.input.clickChannel + 1}, but there are only ${input.channels} inputs. Choose another in Rig.`;
  for (const { name, portId, returnChannel } of gear) {
    if (portId === null) return `${name} has no port yet. Choose one in Rig.`;
    if (isMidiPort(portId)) {
      const port = useMidiPorts.getState().outputs.find((output) => output.id === portId);
      if (!port?.connected) return `The port of ${name} is not here. Connect it, or choose another in Rig.`;
    }
    if (returnChannel === null) return `Nothing hears ${name}. Choose the input it comes back on in Rig.`;
    if (returnChannel >= input.channels)
      return `${name} is said to come back on input ${returnChannel + 1}, but there are only ${input.channels} inputs.`;
  }
  return null;
}

/** Plays, records and measures; gives the take, or null when it could not begin. What was there before stays as it is. */
export async function runTake(settings: TakeSettings): Promise<Take | null> {
  const { rig, input } = useSession.getState();
  if (!rig || useTakeFlow.getState().flow.state !== 'idle') return null;
  const gear = rig.gear.filter(({ id }) => settings.gearIds.includes(id));
  const problem = obstacle(rig, gear, input);
  if (problem !== null) {
    useTakeFlow.setState({ flow: { state: 'idle', problem } });
    return null;
  }
  useTakeFlow.setState({ flow: { state: 'settling', progress: null } });
  const unwatch = watchForTrouble(gear);
  const wasRolling = useSession.getState().snapshot.state === 'rolling';
  let take: Take | null = null;
  let trouble: string | null = null;
  try {
    if (settings.drive === 'notes') await driveGear('notes', settings.gearIds);
    if (!wasRolling) command({ kind: 'play' });
    await hubIs('rolling');
    const { fromMs, toMs } = takeWindow(settings.bars);
    take = await measure.record(
      newTake(rig, gear, settings, input?.label ?? ''),
      fromMs,
      toMs,
      Comlink.proxy((progress) => useTakeFlow.setState({ flow: { state: 'recording', progress } })),
    );
    trouble = take.ending ?? null;
  } catch (error) {
    trouble = error instanceof Error ? error.message : 'The take failed.';
  }
  unwatch();
  // Another take may begin once everything is as it was before this one: else it would see the hub stop, and end by that.
  await putBack(settings, wasRolling).catch(() => undefined); // the take is what counts
  useTakeFlow.setState({ flow: { state: 'idle', problem: trouble }, ...(take && { latest: take }) });
  return take;
}

async function putBack({ drive }: TakeSettings, wasRolling: boolean): Promise<void> {
  if (drive === 'notes') await driveGear();
  if (wasRolling) return;
  command({ kind: 'stop' });
  await hubIs('stopped');
}

/** Ends the take under way; what it has is kept and measured. */
export function endTake(): void {
  void measure.endTake('The take was ended early.');
}

function newTake(rig: Rig, gear: readonly Gear[], settings: TakeSettings, input: string): Take {
  return {
    id: crypto.randomUUID(),
    rigId: rig.id,
    startedAt: Date.now(),
    source: 'live',
    proof: settings.proof,
    status: 'recording',
    sampleRate: 0,
    frames: 0,
    bpm: rig.bpm,
    drive: settings.drive,
    input,
    inputSource: rig.input.sourceId,
    beats: { clickChannel: rig.input.clickChannel },
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
}

/** From just before a bar, after one to settle, over so many bars of beats. In ms of the window's clock. */
function takeWindow(bars: number): { fromMs: number; toMs: number } {
  const { snapshot, snapshotAtMs } = useSession.getState();
  const beatMs = 60_000 / snapshot.bpm;
  const firstBeat = (Math.ceil(snapshot.beat / BEATS_PER_BAR) + SETTLING_BARS) * BEATS_PER_BAR;
  const firstMs = snapshotAtMs + (firstBeat - snapshot.beat) * beatMs;
  const beats = bars * BEATS_PER_BAR;
  return { fromMs: firstMs - LEAD_IN_MS, toMs: firstMs + (beats - 1 + LAST_BEAT_SHARE) * beatMs };
}

/** @throws Error in words for a musician when the hub does not get there. */
function hubIs(state: HubSnapshot['state']): Promise<void> {
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

/** A port that vanishes, or somebody pressing stop, ends the take with what it has. */
function watchForTrouble(gear: readonly Gear[]): () => void {
  const unwatchPorts = onPortChange(({ id, name, connected }) => {
    const lost = gear.find(({ portId }) => portId === id);
    if (lost && !connected)
      void measure.endTake(`The port of ${lost.name} (${name}) went away during this take. Connect it and take again.`);
  });
  const unwatchHub = useSession.subscribe(({ snapshot }, before) => {
    if (before.snapshot.state === 'rolling' && snapshot.state === 'stopped')
      void measure.endTake('The hub was stopped during this take.');
  });
  return () => {
    unwatchPorts();
    unwatchHub();
  };
}
