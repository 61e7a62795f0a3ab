import {
  CLICK_SOUNDS,
  COMMON_TIME,
  FRAME_RATES,
  songMaps,
  type BeatTrigger,
  type Feed,
  type FeedSettings,
  type FrameRate,
  type SongSettings,
  type Timecode,
} from '@metronomo/core';
import type { Drive, Gear, Rig, Song, Trigger } from '../store/records';

export const CLICK_PORT = 'click';

const PULSE_NOTE = 60;
const NOTHING = { clock: false, transport: false, position: false, timecode: null };

/** What the hub sends for this rig: its click, and one feed per device with an output port. */
export function feedsOf(rig: Rig, drive: Drive = 'clock', driven: readonly string[] = []): Feed[] {
  const click: Feed = {
    id: CLICK_PORT,
    portId: CLICK_PORT,
    settings: { sends: NOTHING, offsetMs: 0, clockWhileStopped: false, notes: CLICK_SOUNDS[rig.song.click] },
  };
  const feeds = rig.gear.flatMap((gear): Feed[] => {
    if (gear.portId === null) return [];
    const byNotes = drive === 'notes' && driven.includes(gear.id);
    const settings = byNotes ? noteSettings(gear) : timeSettings(withTiming(rig, gear), rig);
    return [{ id: gear.id, portId: gear.portId, settings }];
  });
  return [click, ...feeds];
}

/** The device whose sync stream goes to this port: its own, or the one it shares. */
export function withTiming(rig: Rig, gear: Gear): Gear {
  const other = rig.gear.find(({ id }) => id === gear.sharesFeedOf);
  return other && other.sharesFeedOf === null ? other : gear;
}

/** A device is sent only the sync it follows; triggers go with either. */
function timeSettings(gear: Gear, { song }: Rig): FeedSettings {
  const { syncsTo, rate, sends, mmc, offsetMs, clockWhileStopped, clockRate } = gear;
  const byLanguage = {
    clock: { ...sends, timecode: null, mmc },
    timecode: { ...NOTHING, timecode: rate, mmc },
    nothing: { ...NOTHING, mmc },
  };
  return {
    sends: byLanguage[syncsTo],
    offsetMs,
    clockWhileStopped,
    clockRate,
    timecodeStart: atRate(song.timecodeStart, rate),
    triggers: gear.triggers.map((trigger) => withSections(trigger, song)),
  };
}

/** The start timecode, moved to an existing code: drop-frame skips 00 and 01 at most minutes. */
function atRate(start: Timecode, rate: FrameRate): Timecode {
  const frames = Math.min(start.frames, FRAME_RATES[rate].count - 1);
  const dropped = rate === '29.97df' && start.minutes % 10 !== 0 && start.seconds === 0 && frames < 2;
  return { ...start, frames: dropped ? 2 : frames };
}

/** A trigger's per-section settings, with each section's first beat. */
function withSections({ inSections, ...trigger }: Trigger, { sections, tempoFrom }: Song): BeatTrigger {
  if (tempoFrom === 'hand' || sections.length === 0) return trigger;
  const { beginsAt, lengthBeats } = songMaps(sections);
  const changes = beginsAt.map((fromBeat, i) => ({ fromBeat, every: inSections[i] ?? trigger.every }));
  return { ...trigger, changes: [...changes, { fromBeat: lengthBeats, every: trigger.every }] };
}

/** Quarter notes and nothing else, so that no pattern of the device plays in between. */
function noteSettings(gear: Gear): FeedSettings {
  const notes = { channel: gear.noteChannel, barNote: PULSE_NOTE, beatNote: PULSE_NOTE, velocity: 100 };
  return { sends: NOTHING, offsetMs: gear.offsetMs, clockWhileStopped: false, notes };
}

/** What the hub plays for this rig: its sections, or a constant tempo in common time. */
export function songOf({ song, bpm }: Rig): SongSettings {
  const { countInBars, afterStop, sections, tempoFrom } = song;
  if (tempoFrom === 'hand' || sections.length === 0)
    return { tempo: [{ beat: 0, bpm }], meter: [COMMON_TIME], countInBars, afterStop };
  const { tempo, meter } = songMaps(sections);
  return { tempo, meter, countInBars, afterStop };
}
