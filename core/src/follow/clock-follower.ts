import { TICKS_PER_BEAT, type MidiMessage, TICKS_PER_SIXTEENTH } from '../midi/message';
import type { FollowState } from './follow-state';
import { TickTracker } from './tick-tracker';

export type Response = 'steady' | 'quick';

export interface ClockReading {
  state: FollowState;
  bpm: number | null;
  /** Quarter notes from the start of the song; null before any clock. */
  beat: number | null;
  rolling: boolean;
  /** It is known when ticks are due, but not which ones they are. */
  unsure: boolean;
  /** Quarter notes by its ticks alone, whether it was started or not: only differences count. Null before any clock. */
  counted: number | null;
  /** `unsure` for `counted`, which also has to be right before a start. */
  miscounted: boolean;
  /** Missing and extra ticks since the clock began. */
  missing: number;
  extra: number;
}

interface ResponseFacts {
  /** Window in ticks while the tempo is steady; longer is smoother. */
  readonly window: number;
  /** Chance of another tempo, per tick: the rarer, the more evidence it takes. */
  readonly changes: number;
  readonly lockTicks: number;
}

const RESPONSES: Readonly<Record<Response, ResponseFacts>> = {
  steady: { window: 32 * TICKS_PER_BEAT, changes: 1e-6, lockTicks: TICKS_PER_BEAT },
  quick: { window: 4 * TICKS_PER_BEAT, changes: 1e-5, lockTicks: TICKS_PER_BEAT / 2 },
};
const SILENT_INTERVALS = 3;
const MIN_SILENCE_MS = 60;
const FREEWHEEL_MS = 2000;
const MS_PER_MINUTE = 60_000;

/**
 * Estimates tempo, position and state from jittery, late, duplicate or missing ticks. The tracker says which tick of the
 * song each one is; where its explanations disagree, the state is settling until they agree again, at the latest at the
 * next start or song position.
 */
export class ClockFollower {
  readonly #facts: ResponseFacts;
  readonly #freewheelMs: number;
  readonly #tracker: TickTracker;
  #lastMs: number | null = null;
  /** Ticks since the clock began, or returned. */
  #heard = 0;
  #rolling = false;
  /** Start was received, but not its first tick. */
  #begins = false;
  /** Song position of the next tick, while stopped. */
  #standsAt = 0;

  /** `freewheelMs`: how long a rolling clock may be silent before it counts as lost. */
  constructor({ response = 'steady', freewheelMs = FREEWHEEL_MS }: { response?: Response; freewheelMs?: number } = {}) {
    this.#facts = RESPONSES[response];
    const { window, changes } = this.#facts;
    this.#tracker = new TickTracker({ window, logChange: Math.log(changes) });
    this.#freewheelMs = freewheelMs;
  }

  push(message: MidiMessage, atMs: number): void {
    switch (message.kind) {
      case 'clock':
        this.#tick(atMs);
        return;
      case 'start':
        this.#standsAt = 0;
        this.#roll();
        return;
      case 'continue':
        if (!this.#rolling) this.#roll();
        return;
      case 'stop':
        if (this.#rolling) this.#standsAt = this.#nextTick;
        this.#rolling = this.#begins = false;
        return;
      case 'songPosition':
        this.#locate(message.sixteenths * TICKS_PER_SIXTEENTH);
    }
  }

  /** `heardUntilMs`: what arrived later isn't known yet, because this machine stood still. */
  at(nowMs: number, heardUntilMs = nowMs): ClockReading {
    const state = this.#state(heardUntilMs);
    const { best, isSure } = this.#tracker;
    return {
      state,
      bpm: best && this.#heard > 1 ? MS_PER_MINUTE / (best.intervalMs * TICKS_PER_BEAT) : null,
      beat: best ? this.#songTicksAt(nowMs, state) / TICKS_PER_BEAT : null,
      rolling: this.#rolling && state !== 'lost' && state !== 'silent',
      unsure: state === 'settling' && this.#heard >= this.#facts.lockTicks,
      counted: best ? (best.number + (nowMs - best.ms) / best.intervalMs) / TICKS_PER_BEAT : null,
      miscounted: !isSure && this.#heard >= this.#facts.lockTicks,
      missing: best?.missing ?? 0,
      extra: best?.extra ?? 0,
    };
  }

  /** Before its first tick a song stays where it starts. */
  get #nextTick(): number {
    return this.#begins ? this.#standsAt : (this.#tracker.best?.number ?? -1) + 1;
  }

  /** A position while rolling is that of the next tick; it only matters where the position isn't sure. */
  #locate(ticks: number): void {
    if (!this.#rolling) this.#standsAt = ticks;
    else if (!this.#tracker.isSure) this.#tracker.number(ticks);
  }

  #roll(): void {
    this.#rolling = this.#begins = true;
  }

  #songTicksAt(nowMs: number, state: FollowState): number {
    const { best } = this.#tracker;
    // Between start and its first tick, the song stays at its start position.
    if (!this.#rolling || !best || this.#begins || this.#lastMs === null) return this.#standsAt;
    // It was taken to go on until it was given up; if it never locked, nobody went along.
    const afterMs = this.#heard < this.#facts.lockTicks ? 0 : this.#freewheelMs;
    const untilMs = state === 'lost' || state === 'silent' ? this.#lastMs + afterMs : nowMs;
    return best.number + (untilMs - best.ms) / best.intervalMs;
  }

  #state(nowMs: number): FollowState {
    if (this.#lastMs === null) return 'silent';
    const silentMs = nowMs - this.#lastMs;
    const longMs = Math.max(MIN_SILENCE_MS, SILENT_INTERVALS * (this.#tracker.best?.intervalMs ?? 0));
    const isSure = !this.#rolling || this.#begins || this.#tracker.isSure;
    const settles = !isSure || this.#heard < this.#facts.lockTicks;
    if (silentMs > longMs) {
      if (!this.#rolling || settles) return silentMs > this.#freewheelMs ? 'silent' : 'settling';
      return silentMs > this.#freewheelMs ? 'lost' : 'freewheeling';
    }
    return settles ? 'settling' : 'locked';
  }

  #tick(atMs: number): void {
    if (!Number.isFinite(atMs)) return;
    if (this.#lastMs !== null && atMs - this.#lastMs > this.#freewheelMs) this.#heard = 0;
    this.#heard++;
    this.#lastMs = Math.max(this.#lastMs ?? -Infinity, atMs);
    if (this.#begins) this.#tracker.number(this.#standsAt);
    this.#tracker.push(atMs, this.#begins);
    // The tracker's first tick of all has number 0.
    if (this.#begins) this.#tracker.number(this.#standsAt + 1);
    this.#begins = false;
  }
}
