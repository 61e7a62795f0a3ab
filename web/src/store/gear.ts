import { fromShelf, type GearKind } from '@metronomo/core';
import type { Gear, GearFacts } from './records';

/** What is said of gear as it comes off the shelf. */
export function factsOf(kind: GearKind): GearFacts {
  const { notes, sockets, audioOuts, able, set, takes, rate, gives, sharesFeedOf, offset } = fromShelf(kind, '');
  return { kind, notes, sockets, audioOuts, able, set, takes, rate, gives, sharesFeedOf, offset };
}

/** A follower with what such gear usually can do, and no cable or return yet. */
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

/** The change of gear whose audio outs go elsewhere from now on. */
export function withAudioOuts(audioOuts: Gear['audioOuts']): Pick<Gear, 'audioOuts' | 'returnChannel'> {
  return { audioOuts, returnChannel: audioOuts.find(({ input }) => input !== null)?.input ?? null };
}

/** Those that the hub can have play: they take their time from it by clock or notes. */
export function playersOf(gear: readonly Gear[]): Gear[] {
  return gear.filter(({ portId, takes }) => portId !== null && takes !== 'timecode');
}

/** Those that can be measured: they take their time from somebody, and an input hears them. All, where none is heard yet. */
export function heardOf(gear: readonly Gear[]): readonly Gear[] {
  const heard = gear.filter(({ returnChannel, takes }) => returnChannel !== null && takes !== 'timecode');
  return heard.length > 0 ? heard : gear;
}
