import { signalKey, type Control, type Signal } from '@metronomo/core';
import { create } from 'zustand';
import { tap } from './tempo';
import type { FromHub } from '../hub/protocol';
import { ports, usePorts } from '../ports/port-registry';
import type { Gear, Rig } from '../store/records';
import { addPort } from '../store/rig-plan';
import { setFill } from './hub-plan';
import { locate } from './locate';
import { endNudge, nudge, NUDGE } from './nudge';
import { changeRig, listenEverywhere } from './rig';
import { useSession } from './session';
import { nextSong } from './set-list';
import { factsOf } from './song-facts';
import { playOrStop, stop, tapDownbeat } from './transport';
import { command, hub } from './workers';

interface ControlsState {
  /** What is being learned, a control by its id; null if nothing is. */
  learningId: string | null;
  /** The last one pressed, and when, ms of the window's clock. */
  last: { id: string; atMs: number } | null;
}

export const useControls = create<ControlsState>(() => ({ learningId: null, last: null }));

type Pressed = Pick<Extract<FromHub, { kind: 'pressed' }>, 'portId' | 'press' | 'learned'>;

/** A step back goes to the start of the section, or, this soon after it, to the one before, quarter notes. */
const JUST_BEGUN_BEATS = 1;

/** Does what the musician has put on keys, pedals and buttons. */
class ControlDesk {
  /** How to let go of what is held, by control. */
  readonly #held = new Map<string, { portId: string; letGo: () => void }>();
  #learned: ((portId: string, signal: Signal) => void) | null = null;

  constructor() {
    // A pedal that is unplugged while it is held can't be let go of any more.
    ports.onChange(({ id, connected }) => {
      if (!connected) this.#letGo(({ portId }) => portId === id);
    });
  }

  pressed({ portId, press, learned }: Pressed): void {
    if (learned) {
      const taken = this.#learned;
      this.stopLearning();
      taken?.(portId, press.signal);
      return;
    }
    const { rig } = useSession.getState();
    const socketIds = rig?.hubSockets.filter((one) => one.portId === portId).map(({ id }) => id) ?? [];
    for (const control of rig?.controls ?? [])
      if (socketIds.includes(control.socketId) && signalKey(control.signal) === signalKey(press.signal))
        this.#do(control, portId, press.down);
  }

  /** The next thing pressed, on any input, becomes this control. */
  learn(controlId: string): void {
    this.learnNext(controlId, (portId, signal) => void changeRig((rig) => withSignal(rig, controlId, portId, signal)));
  }

  /** `then` gets the next thing pressed, on any input. */
  learnNext(learningId: string, then: (portId: string, signal: Signal) => void): void {
    this.#learned = then;
    useControls.setState({ learningId });
    listenEverywhere(true);
    void hub.learnSignal(true);
  }

  stopLearning(): void {
    this.#learned = null;
    useControls.setState({ learningId: null });
    listenEverywhere(false);
    void hub.learnSignal(false);
  }

  #do(control: Control, portId: string, down: boolean): void {
    const { id } = control;
    this.#letGo((_, held) => held === id);
    if (!down) return;
    useControls.setState({ last: { id, atMs: performance.now() } });
    const letGo = doDeed(control);
    if (letGo) this.#held.set(id, { portId, letGo });
  }

  #letGo(which: (held: { portId: string }, id: string) => boolean): void {
    for (const [id, held] of this.#held) {
      if (!which(held, id)) continue;
      this.#held.delete(id);
      held.letGo();
    }
  }
}

export const controlDesk = new ControlDesk();

/** The rig with a signal for one of its controls; its port becomes an input of the hub. */
function withSignal(rig: Rig, controlId: string, portId: string, signal: Signal): Rig {
  const name = usePorts.getState().inputs.find(({ id }) => id === portId)?.name ?? 'Input';
  const adopted = addPort(rig, portId, name, 'in');
  const socketId = adopted.hubSockets.find((one) => one.portId === portId && one.direction === 'in')?.id;
  if (socketId === undefined) return rig;
  const controls = (rig.controls ?? []).map((one) => (one.id === controlId ? { ...one, socketId, signal } : one));
  return { ...adopted, controls };
}

/** Does it, and returns how to let go of it, if it is held. */
export function doDeed({
  does,
  gearId,
  triggerId,
  share = NUDGE,
}: Pick<Control, 'does' | 'gearId' | 'triggerId' | 'share'>): (() => void) | null {
  const { snapshot, rig } = useSession.getState();
  const gear = rig?.gear.find(({ id }) => id === gearId) ?? null;
  const feedId = gear?.portId;
  switch (does) {
    case 'play':
      if (snapshot.state === 'stopped') playOrStop();
      return null;
    case 'continue':
      command({ kind: 'play' });
      return null;
    case 'stop':
      stop();
      return null;
    case 'playOrStop':
      playOrStop();
      return null;
    case 'toStart':
      locate(0);
      return null;
    case 'nextSection':
    case 'previousSection':
      if (rig) locate(sectionFrom(rig, snapshot.beat, does));
      return null;
    case 'tap':
      tap();
      return null;
    case 'downbeat':
      tapDownbeat();
      return null;
    case 'faster':
    case 'slower':
      nudge(does === 'faster' ? share : -share, gear);
      return () => endNudge(gear);
    case 'mute':
      if (feedId) command({ kind: 'mute', feedId, muted: !snapshot.muted.includes(feedId) });
      return null;
    case 'hold':
      if (feedId) command({ kind: snapshot.held.includes(feedId) ? 'release' : 'hold', feedId });
      return null;
    case 'trigger':
      void changeRig((before) => ({ ...before, gear: before.gear.map((one) => toggled(one, triggerId)) }));
      return null;
    case 'fill':
      if (triggerId === undefined) return null;
      void setFill(triggerId, true);
      return () => void setFill(triggerId, false);
    case 'nextSong':
      nextSong();
      return null;
    case 'record':
      command({ kind: 'record', on: !snapshot.records });
      return null;
  }
}

/** Where the next section begins, or this one, or the one before it. */
export function sectionFrom({ song, bpm }: Rig, beat: number, does: 'nextSection' | 'previousSection'): number {
  const { beginsAt, lengthBeats } = factsOf(song, bpm);
  if (does === 'nextSection')
    return beginsAt.find((at) => at > beat + 1e-6) ?? (lengthBeats > beat ? lengthBeats : beat);
  return beginsAt.findLast((at) => at < beat - JUST_BEGUN_BEATS) ?? 0;
}

function toggled(gear: Gear, triggerId: string | undefined): Gear {
  if (!gear.triggers.some(({ id }) => id === triggerId)) return gear;
  return { ...gear, triggers: gear.triggers.map((one) => (one.id === triggerId ? { ...one, off: !one.off } : one)) };
}
