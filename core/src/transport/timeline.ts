import type { TempoMap } from '../tempo/tempo-map';
import { beatAt, bpmAt, from, withTempo, songMsAt, type Motion } from './motion';

export type TransportState = 'stopped' | 'starting' | 'countingIn' | 'rolling';

export interface GridPosition {
  beat: number;
  /** Song time, ms. */
  songMs: number;
  bpm: number;
  state: TransportState;
}

interface Span {
  readonly motion: Motion;
  readonly rolling: boolean;
  /** Beats before this one are count-in. */
  readonly countInTo: number;
}

/** Changes at a moment; anything not named continues. */
export interface GridChange extends Partial<Omit<Motion, 'fromMs'>> {
  rolling?: boolean;
  countInTo?: number;
}

/** Past, present and future of the grid as stretches that are stopped or rolling. */
export class Timeline {
  #spans: Span[];

  constructor(map: TempoMap) {
    const motion = { map, speed: 1, fromMs: -Infinity, beat: 0, songMs: 0 };
    this.#spans = [{ motion, rolling: false, countInTo: -Infinity }];
  }

  /** From `fromMs` on the grid rolls or is stopped, from `beat` if given, else from its current position. */
  change(fromMs: number, { rolling, countInTo, ...change }: GridChange): void {
    const before = this.#at(fromMs);
    const { beat, songMs } = this.at(fromMs);
    const { map, speed } = before.motion;
    const changesTempo = before.rolling && change.beat === undefined && change.songMs === undefined;
    const motion = changesTempo
      ? withTempo(before.motion, fromMs, change, before.countInTo)
      : { map, speed, beat, songMs, ...change, fromMs };
    const span = {
      motion,
      rolling: rolling ?? before.rolling,
      countInTo: countInTo ?? (change.beat === undefined ? before.countInTo : -Infinity),
    };
    this.#spans = [...this.#spans.filter((other) => other.motion.fromMs < fromMs), span];
  }

  get lastChangeMs(): number {
    return (this.#spans.at(-1) as Span).motion.fromMs;
  }

  /** Whether it rolls after all pending changes. */
  get rollsInTheEnd(): boolean {
    return (this.#spans.at(-1) as Span).rolling;
  }

  /** `starting`: stopped and about to roll. */
  at(ms: number): GridPosition {
    const { motion, rolling, countInTo } = this.#at(ms);
    const beat = rolling ? beatAt(motion, ms) : motion.beat;
    const songMs = rolling ? songMsAt(motion, ms) : motion.songMs;
    return { beat, songMs, bpm: bpmAt(motion, beat), state: stateOf(rolling, this.rollsInTheEnd, beat < countInTo) };
  }

  /** Its motion at a time; null when stopped. */
  motionAt(ms: number): Motion | null {
    const { motion, rolling } = this.#at(ms);
    return rolling ? from(motion, ms) : null;
  }

  /** Drops history that is no longer needed. */
  forgetBefore(ms: number): void {
    const current = this.#at(ms);
    if (this.#spans[0] !== current) this.#spans = this.#spans.slice(this.#spans.indexOf(current));
  }

  #at(ms: number): Span {
    return (this.#spans.findLast(({ motion }) => motion.fromMs <= ms) ?? this.#spans[0]) as Span;
  }
}

function stateOf(rolling: boolean, willRoll: boolean, countsIn: boolean): TransportState {
  if (rolling) return countsIn ? 'countingIn' : 'rolling';
  return willRoll ? 'starting' : 'stopped';
}
