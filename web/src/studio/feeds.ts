import {
  CLICK_SOUNDS,
  codeAtRate,
  COMMON_TIME,
  planWires,
  songMaps,
  type BeatTrigger,
  type Feed,
  type FeedSettings,
  type Patch,
  type SongSettings,
  type WirePlan,
} from '@metronomo/core';
import { CLICK_PORT } from '../ports/port-ids';
import type { Gear, PatchNumber, Rig, Song, Trigger } from '../store/records';
import { planOf } from '../store/rig-plan';

const PULSE_NOTE = 60;
const NOTHING = { clock: false, transport: false, position: false, timecode: null };

/**
 * What the hub sends for this rig: its click, and one feed per wire, under the id of its port. Gear driven by notes gets
 * a feed of its own instead, and its wire nothing else.
 */
export function feedsOf(rig: Rig, driven: readonly string[] = []): Feed[] {
  const click: Feed = {
    id: CLICK_PORT,
    portId: CLICK_PORT,
    settings: { sends: NOTHING, offsetMs: 0, clockWhileStopped: false, notes: CLICK_SOUNDS[rig.song.click] },
  };
  const byNotes = rig.gear.filter(({ id, portId }) => portId !== null && driven.includes(id));
  const quiet = new Set(byNotes.map(({ portId }) => portId));
  const notes = byNotes.map((gear): Feed => ({ id: gear.id, portId: gear.portId ?? '', settings: noteSettings(gear) }));
  const feeds = wiresOf(rig)
    .wires.filter(({ portId }) => !quiet.has(portId))
    .map(({ portId, settings, reaches, sendsToLeader }): Feed => {
      return { id: portId, portId, settings, reaches, sendsToLeader };
    });
  return [click, ...feeds, ...notes];
}

const plans = new WeakMap<Rig, WirePlan>();

/** What leaves each port, with the song's start timecode and sections. Rigs are immutable, so it is memoized. */
export function wiresOf(rig: Rig): WirePlan {
  const known = plans.get(rig);
  if (known) return known;
  const { song } = rig;
  const gear = rig.gear.map((one) => ({
    ...one,
    triggers: one.triggers.filter(({ off = false }) => !off).map((trigger) => withSections(trigger, song)),
    patches: patchesOf(one, song),
  }));
  const plan = planWires({ ...planOf(rig), gear: [...planOf({ ...rig, gear: [] }).gear, ...gear] });
  const wires = plan.wires.map((wire) => {
    const { timecode } = wire.settings.sends;
    const timecodeStart = timecode && codeAtRate(song.timecodeStart, timecode);
    return timecodeStart ? { ...wire, settings: { ...wire.settings, timecodeStart } } : wire;
  });
  const timed = { ...plan, wires };
  plans.set(rig, timed);
  return timed;
}

/** A trigger's per-section settings, with each section's first beat. */
function withSections({ inSections, ...trigger }: Trigger, { sections, tempoFrom }: Song): BeatTrigger {
  if (tempoFrom === 'hand' || sections.length === 0) return trigger;
  const { beginsAt, lengthBeats } = songMaps(sections);
  const changes = beginsAt.map((fromBeat, i) => ({ fromBeat, every: inSections[i] ?? trigger.every }));
  return { ...trigger, changes: [...changes, { fromBeat: lengthBeats, every: trigger.every }] };
}

/** A device's patches by beat; those of sections count only if the song goes by its sections. */
function patchesOf({ patchPlan }: Gear, { sections, tempoFrom }: Song): Patch[] {
  if (!patchPlan) return [];
  const { channel, leadMs, atStart, inSections } = patchPlan;
  const patch = (fromBeat: number, number: PatchNumber) => ({ fromBeat, channel, leadMs, ...number });
  const first = atStart ? [patch(0, atStart)] : [];
  if (tempoFrom === 'hand' || sections.length === 0) return first;
  const { beginsAt } = songMaps(sections);
  const later = beginsAt.flatMap((fromBeat, i) => {
    const own = inSections[i];
    return own ? [patch(fromBeat, own)] : [];
  });
  return [...first.filter(() => later[0]?.fromBeat !== 0), ...later];
}

/** The rig while fills are held: those triggers run at their fill's rate, whatever the section. */
export function withFills(rig: Rig, fills: readonly string[]): Rig {
  if (fills.length === 0) return rig;
  const filled = (trigger: Trigger): Trigger =>
    fills.includes(trigger.id) && trigger.fill ? { ...trigger, every: trigger.fill, inSections: {} } : trigger;
  return { ...rig, gear: rig.gear.map((one) => ({ ...one, triggers: one.triggers.map(filled) })) };
}

/** Quarter notes and nothing else, so that no pattern of the device plays in between. */
function noteSettings(gear: Gear): FeedSettings {
  const notes = { channel: gear.noteChannel, barNote: PULSE_NOTE, beatNote: PULSE_NOTE, velocity: 100 };
  return { sends: NOTHING, offsetMs: gear.offsetMs, clockWhileStopped: false, notes };
}

/** What the hub plays for this rig: its sections, or a constant tempo in common time. */
export function songOf({ song, bpm, setList }: Rig): SongSettings {
  const { countInBars, afterStop, sections, tempoFrom } = song;
  if (tempoFrom === 'hand' || sections.length === 0)
    return { tempo: [{ beat: 0, bpm }], meter: [COMMON_TIME], countInBars, afterStop, endBeat: null };
  const { tempo, meter, lengthBeats } = songMaps(sections);
  return { tempo, meter, countInBars, afterStop, endBeat: setList ? lengthBeats : null };
}
