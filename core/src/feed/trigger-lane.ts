import type { MidiMessage } from '../midi/message';
import type { MeterMap } from '../tempo/meter-map';
import { bpmAt, type Motion } from '../transport/motion';
import { ClockLane } from './clock-lane';
import type { BeatTrigger, TriggerMessage, TriggerStep } from './feed-settings';

/** Twice the ticks of MIDI clock: a 64th note is three of them. */
const LANE_RATE = 2;
const MIN_BPM = 1;

/**
 * Where one follower's triggers fall on the grid. What fires follows from the song position and is never accumulated.
 */
export class TriggerLane {
  readonly #lane: ClockLane;
  readonly #triggers: readonly BeatTrigger[];
  #meter: MeterMap;

  constructor(motion: Motion, triggers: readonly BeatTrigger[], meter: MeterMap) {
    this.#lane = new ClockLane(motion, LANE_RATE, true);
    this.#triggers = triggers;
    this.#meter = meter;
  }

  get nextMs(): number {
    return this.#lane.nextMs;
  }

  retime(motion: Motion): void {
    this.#lane.retime(motion);
  }

  setMeter(meter: MeterMap): void {
    this.#meter = meter;
  }

  /** Takes the next point of the grid and returns what fires there. */
  take(): MidiMessage[] {
    const tick = this.#lane.take();
    const beat = tick / this.#lane.ticksPerBeat;
    if (beat < 0) return [];
    const bpm = bpmAt(this.#lane.motion, beat);
    return this.#triggers.flatMap((trigger) => this.#fire(trigger, beat, bpm));
  }

  #fire(trigger: BeatTrigger, beat: number, bpm: number): MidiMessage[] {
    const every = stepAt(trigger, beat);
    if (every === 'off' || bpm < (trigger.offBelowBpm ?? 0)) return [];
    const step = this.#stepNumber(every, slowedBy(trigger, bpm), beat);
    if (step === null) return [];
    const { sends } = trigger;
    if (sends.kind !== 'steps') return [messageOf(sends)];
    const { channel, controller, count } = sends;
    return [{ kind: 'controlChange', channel, controller, value: (step % count) + 0 }];
  }

  /** The number of this step; null where none falls here. */
  #stepNumber(every: TriggerStep, slower: number, beat: number): number | null {
    if (every === 'bar') {
      if (this.#meter.accentAt(beat) !== 'bar') return null;
      const bars = this.#meter.positionAt(beat).bar - 1;
      return bars % slower === 0 ? bars / slower : null;
    }
    const steps = beat / (every * slower);
    return Math.abs(steps - Math.round(steps)) < 1e-6 ? Math.round(steps) : null;
  }
}

function stepAt({ every, changes = [] }: BeatTrigger, beat: number): TriggerStep | 'off' {
  return changes.findLast(({ fromBeat }) => fromBeat <= beat + 1e-6)?.every ?? every;
}

/** 1, 2, 4 ...: at one change per beat, lights run too fast on a slow song (common practice). */
function slowedBy({ slowsBelowBpm = 0 }: BeatTrigger, bpm: number): number {
  let slower = 1;
  for (let limit = slowsBelowBpm; limit > MIN_BPM && bpm < limit; limit /= 2) slower *= 2;
  return slower;
}

export function messageOf(message: TriggerMessage): MidiMessage {
  switch (message.kind) {
    case 'note':
      return { kind: 'noteOn', channel: message.channel, note: message.note, velocity: message.velocity };
    case 'controller':
      return {
        kind: 'controlChange',
        channel: message.channel,
        controller: message.controller,
        value: message.value,
      };
    case 'program':
      return { kind: 'programChange', channel: message.channel, program: message.program };
  }
}

/** What a trigger sends as the follower starts or stops. */
export function edgeMessages(trigger: BeatTrigger, edge: 'atStart' | 'atStop'): MidiMessage[] {
  return [trigger[edge] ?? []].flat().map(messageOf);
}

/** Every note that a trigger may have struck. */
export function notesOf({
  sends,
  atStart = [],
  atStop = [],
}: BeatTrigger): Extract<TriggerMessage, { kind: 'note' }>[] {
  return [sends, atStart, atStop].flat().filter((message) => message.kind === 'note');
}

/** The shortest time between two steps of a trigger at a tempo, ms; a bar is four beats. */
export function stepMs({ every, changes = [], ...trigger }: BeatTrigger, bpm: number): number {
  const steps = [every, ...changes.map((change) => change.every)].flatMap((step) =>
    step === 'off' ? [] : [step === 'bar' ? 4 : step],
  );
  return (Math.min(...steps) * slowedBy({ every, ...trigger }, bpm) * 60_000) / bpm;
}
