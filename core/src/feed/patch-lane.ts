import type { MidiMessage } from '../midi/message';
import { msOfBeat, type Motion } from '../transport/motion';
import type { Patch } from './feed-settings';

const [BANK_COARSE, BANK_FINE] = [0, 32];

/** Where one follower's patches fall on the grid: each one ahead of its beat by its lead. */
export class PatchLane {
  readonly #patches: readonly Patch[];
  #motion: Motion;
  #next = 0;

  /** `patches`: by ascending beat; those up to `fromBeat` are in force already. */
  constructor(motion: Motion, patches: readonly Patch[], fromBeat: number) {
    this.#motion = motion;
    this.#patches = patches.filter((patch) => patch.fromBeat > fromBeat + 1e-6);
  }

  get nextMs(): number {
    const next = this.#patches[this.#next];
    return next ? msOfBeat(this.#motion, next.fromBeat) - next.leadMs : Infinity;
  }

  retime(motion: Motion): void {
    this.#motion = motion;
  }

  take(): MidiMessage[] {
    const patch = this.#patches[this.#next];
    this.#next++;
    return patch ? patchMessages(patch) : [];
  }
}

/** The patch of each channel at a beat; before its first one, that one. */
export function patchesAt(patches: readonly Patch[], beat: number): Patch[] {
  const channels = [...new Set(patches.map(({ channel }) => channel))];
  return channels.flatMap((channel) => {
    const own = patches.filter((patch) => patch.channel === channel);
    return own.findLast(({ fromBeat }) => fromBeat <= beat + 1e-6) ?? own[0] ?? [];
  });
}

/** Bank select comes before its program change (MIDI 1.0, controllers 0 and 32). */
export function patchMessages({ channel, program, bank }: Pick<Patch, 'channel' | 'program' | 'bank'>): MidiMessage[] {
  const select = (controller: number, value: number): MidiMessage => ({
    kind: 'controlChange',
    channel,
    controller,
    value,
  });
  const banks = bank === null ? [] : [select(BANK_COARSE, bank >> 7), select(BANK_FINE, bank & 0x7f)];
  return [...banks, { kind: 'programChange', channel, program }];
}
