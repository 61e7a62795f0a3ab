import { fromShelf, type GearKind } from '@metronomo/core';
import { group } from 'd3-array';
import type { Gear, GearFacts, GearPatches } from './records';

/** Time for a device to change its sound (common practice; measured values differ a lot between devices). */
const PATCH_LEAD_MS = 100;
export const NO_PATCHES: GearPatches = { channel: 1, leadMs: PATCH_LEAD_MS, atStart: null, inSections: {} };

/** Defaults of a gear type. */
export function factsOf(kind: GearKind): GearFacts {
  const { notes, sockets, audioOuts, able, set, syncsTo, rate, leadsWith, offset } = fromShelf(kind, '');
  return { kind, notes, sockets, audioOuts, able, set, syncsTo, rate, leadsWith, offset };
}

/** A follower with its type's defaults, without cable or audio return. */
export function gear(change: Partial<Gear> & Pick<Gear, 'id' | 'name'>): Gear {
  const facts = factsOf(change.kind ?? 'beatBox');
  const { returnChannel = null } = change;
  const audioOuts = facts.audioOuts.map((out, i) => (i === 0 ? { ...out, input: returnChannel } : out));
  return {
    ...facts,
    audioOuts,
    icon: null,
    checked: [],
    place: null,
    portId: null,
    sends: { clock: true, transport: facts.able.startStop, position: false },
    mmc: false,
    clockRate: 1,
    triggers: [],
    clockWhileStopped: false,
    noteChannel: 10,
    returnChannel,
    offsetMs: 0,
    ...change,
  };
}

/** The change that updates a device's audio outs. */
export function withAudioOuts(audioOuts: Gear['audioOuts']): Pick<Gear, 'audioOuts' | 'returnChannel'> {
  return { audioOuts, returnChannel: audioOuts.find(({ input }) => input !== null)?.input ?? null };
}

/** Followers the hub can drive, by clock or notes. */
export function withAudio(gear: readonly Gear[]): Gear[] {
  return gear.filter(({ portId, syncsTo }) => portId !== null && syncsTo !== 'timecode');
}

/** Followers with an audio return; all followers while there are none. */
export function withAudioReturn(gear: readonly Gear[]): readonly Gear[] {
  const heard = gear.filter(({ returnChannel, syncsTo }) => returnChannel !== null && syncsTo !== 'timecode');
  return heard.length > 0 ? heard : gear;
}

/** The other devices that come in on a device's input: heard all at once, they can't be told apart. */
export function onSameInput(all: readonly Gear[], { id, returnChannel }: Pick<Gear, 'id' | 'returnChannel'>): Gear[] {
  return returnChannel === null ? [] : all.filter((other) => other.id !== id && other.returnChannel === returnChannel);
}

/** The input on which a device is heard alone; null if others come in on it, or it has no audio return. */
export function ownReturn(all: readonly Gear[], gear: Pick<Gear, 'id' | 'returnChannel'>): number | null {
  return onSameInput(all, gear).length > 0 ? null : gear.returnChannel;
}

/** The one input that several devices come in on, all of them; undefined if there is none. */
export function sharedInput([first, ...others]: readonly Gear[]): number | undefined {
  const shares = others.length > 0 && others.every(({ returnChannel }) => returnChannel === first?.returnChannel);
  return shares ? (first?.returnChannel ?? undefined) : undefined;
}

/** In how many takes all can be measured: those with an input of their own at once, others in turns on theirs. */
export function inTakes(gear: readonly Gear[]): { gearIds: string[]; onChannel?: number }[] {
  const idsOf = (some: readonly Gear[]) => some.map(({ id }) => id);
  const alone = gear.filter((one) => onSameInput(gear, one).length === 0);
  const shared = gear.filter((one) => onSameInput(gear, one).length > 0);
  return [
    ...(alone.length > 0 ? [{ gearIds: idsOf(alone) }] : []),
    ...Array.from(
      group(shared, ({ returnChannel }) => returnChannel ?? 0),
      ([onChannel, some]) => ({
        gearIds: idsOf(some),
        onChannel,
      }),
    ),
  ];
}

/** A device name that no other in the rig has: numbered if it is taken. */
export function freeName({ gear: others }: { gear: readonly Pick<Gear, 'name'>[] }, wanted: string): string {
  const taken = new Set(others.map(({ name }) => name.toLowerCase()));
  let name = wanted;
  for (let number = 2; taken.has(name.toLowerCase()); number++) name = `${wanted.slice(0, 36)} ${number}`;
  return name;
}
