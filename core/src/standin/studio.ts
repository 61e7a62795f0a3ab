import { group } from 'd3-array';
import type { Port, Receiver } from '../hub/port';
import { MidiParser } from '../midi/parser';
import { BeatBox, type BeatBoxSettings } from './beat-box';
import { Keyboard, type KeyboardSettings } from './keyboard';
import { LightingDesk, type LightingDeskSettings } from './lighting-desk';
import { Link, type LinkSettings } from './link';
import { Recorder, type RecorderSettings } from './recorder';
import { SoundInterface, type SoundBlock, type SoundInterfaceSettings } from './sound-interface';
import type { Sound, StandIn } from './stand-in';
import { Synthesizer, type SynthesizerSettings } from './synthesizer';
import { TimeMaster, type TimeMasterSettings } from './time-master';
import type { VoiceName } from './voices';

/** A device's port, cable and audio return. */
interface Place {
  portId: string;
  cable?: LinkSettings;
  /** Missing if it has no audio return. */
  channel?: number;
  voice?: VoiceName;
}

export type OtherGear = Place &
  (
    | ({ kind: 'keyboard' } & KeyboardSettings)
    | ({ kind: 'synthesizer' } & Omit<SynthesizerSettings, 'channel'> & { midiChannel: number })
    | ({ kind: 'recorder' } & RecorderSettings)
    | ({ kind: 'lightingDesk' } & LightingDeskSettings)
    | ({ kind: 'timeMaster' } & TimeMasterSettings)
  );

/** Voices of the click, by note. */
const CLICK_VOICES: Readonly<Record<number, VoiceName>> = {
  76: 'barClick',
  77: 'click',
  34: 'bell',
  33: 'tin',
  75: 'shell',
  37: 'wood',
};
const MAX_UNDER_WAY = 10_000;

/** A room of simulated gear. */
export interface StudioSettings {
  soundInterface: SoundInterfaceSettings;
  /** Notes sent to this port sound as clicks on this input. */
  click: { portId: string; channel: number };
  boxes: (BeatBoxSettings & Place)[];
  gear?: OtherGear[];
}

/**
 * The room in operation: bytes in and out of its ports, audio out of its interface. Driven by the caller's time; no
 * timers.
 */
export class Studio {
  readonly ports: ReadonlyMap<string, Port>;
  /** Number of channels of its interface. */
  readonly channels: number;
  readonly #interface: SoundInterface;
  readonly #gear: StandIn[] = [];
  readonly #receivers = new Map<string, Receiver>();
  /** Sent by gear, not yet delivered. */
  #underWay: { portId: string; bytes: Uint8Array; atMs: number }[] = [];

  constructor({ soundInterface, click, boxes, gear = [] }: StudioSettings) {
    this.#interface = new SoundInterface(soundInterface);
    this.channels = soundInterface.channels + (soundInterface.roomMicrophone ? 1 : 0);
    const ports = [this.#port(click.portId, this.#clickAt(click))];
    for (const box of boxes) ports.push(this.#plugIn(box, new BeatBox(box, this.#soundOf(box), this.#wayBack(box))));
    for (const one of gear) ports.push(this.#plugIn(one, this.#build(one)));
    // Gear on one port, behind a split box or as apps, all get the same bytes.
    this.ports = new Map(
      [...group(ports, ({ id }) => id)].map(([id, shared]) => [
        id,
        this.#port(id, (bytes, atMs) => shared.forEach((port) => port.send(bytes, atMs))),
      ]),
    );
  }

  /** A device of a kind, to operate its front panel; null if there is none. */
  gear<Gear extends StandIn>(kind: abstract new (...settings: never[]) => Gear): Gear[] {
    return this.#gear.filter((one): one is Gear => one instanceof kind);
  }

  /**
   * Runs the gear until `toMs`, so that its audio is ready ahead of time; what it sends is delivered when due, so only
   * up to `nowMs`.
   */
  advance(toMs: number, nowMs = toMs): void {
    for (const gear of this.#gear) gear.advance(toMs);
    this.#underWay.sort((a, b) => a.atMs - b.atMs);
    const due = this.#underWay.filter(({ atMs }) => atMs <= nowMs);
    this.#underWay = this.#underWay.slice(due.length);
    for (const { portId, bytes, atMs } of due) this.#receivers.get(portId)?.(bytes, atMs);
  }

  capture(untilMs: number): SoundBlock | null {
    return this.#interface.capture(untilMs);
  }

  #plugIn(place: Place, gear: StandIn): Port {
    this.#gear.push(gear);
    const hear: Receiver = (bytes, atMs) => gear.receive(bytes, atMs);
    const cable = place.cable && new Link(place.cable, hear);
    return this.#port(place.portId, cable ? (bytes, atMs) => cable.send(bytes, atMs) : hear);
  }

  #port(id: string, send: Receiver): Port {
    return { id, send, listen: (receiver) => this.#receivers.set(id, receiver) };
  }

  #soundOf({ channel, voice = 'wood' }: Place): Sound {
    return (atMs, other = voice) => {
      if (channel !== undefined) this.#interface.play(channel, other, atMs);
    };
  }

  /** The device's output comes back on the same port over a cable of the same kind. */
  #wayBack({ portId, cable }: Place): Receiver {
    const out: Receiver = (bytes, atMs) => {
      if (this.#underWay.length < MAX_UNDER_WAY) this.#underWay.push({ portId, bytes, atMs });
    };
    const link = cable && new Link(cable, out);
    return link ? (bytes, atMs) => link.send(bytes, atMs) : out;
  }

  #build(one: OtherGear): StandIn {
    const sound = this.#soundOf(one);
    switch (one.kind) {
      case 'synthesizer':
        return new Synthesizer({ ...one, channel: one.midiChannel }, (atMs) => sound(atMs));
      case 'recorder':
        return new Recorder(one, sound);
      case 'lightingDesk':
        return new LightingDesk(one, (atMs) => sound(atMs));
      case 'timeMaster':
        return new TimeMaster(one, this.#wayBack(one), sound);
      case 'keyboard':
        return new Keyboard(one, this.#wayBack(one), sound);
    }
  }

  #clickAt({ channel }: StudioSettings['click']): Receiver {
    const parser = new MidiParser();
    return (bytes, atMs) => {
      for (const { message } of parser.push(bytes, atMs))
        if (message.kind === 'noteOn') this.#interface.play(channel, CLICK_VOICES[message.note] ?? 'click', atMs);
    };
  }
}
