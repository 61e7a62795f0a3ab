import { seededRandom, type SeededRandom } from './random';
import { LONGEST_VOICE_SECONDS, VOICES, type VoiceName } from './voices';

/** A block of captured audio, as a real interface delivers it. */
export interface SoundBlock {
  sampleRate: number;
  /** Counted from the first sample ever captured; blocks are contiguous. */
  startFrame: number;
  /** Capture time of the first frame, in ms on the hub's timeline. */
  startMs: number;
  /** One array per channel, -1..1. */
  channels: Float32Array[];
}

interface Sound {
  readonly voice: VoiceName;
  readonly level: number;
  /** In fractional frames: sounds don't align to samples. */
  readonly atFrame: number;
}

export interface SoundInterfaceSettings {
  sampleRate: number;
  channels: number;
  /** Hidden: delay from the air to the sample. */
  inputDelayMs: number;
  /** Hidden: standard deviation of the converter noise. */
  noise: number;
  seed: number;
  /** A room microphone on an extra last channel that hears every channel but the first. */
  roomMicrophone?: boolean;
}

const { ceil, floor, max, min } = Math;
const NOISE_FRAMES = 65_536;

/** A simulated audio interface: sounds go in at a time, samples come out later and with noise. */
export class SoundInterface {
  readonly #settings: SoundInterfaceSettings;
  readonly #random: SeededRandom;
  /**
   * Generated once and read at a random place for every block: generating noise per sample would cost more than
   * everything else.
   */
  readonly #noise: Float32Array;
  readonly #sounds: Sound[][];
  #epochMs: number | null = null;
  #nextFrame = 0;

  constructor(settings: SoundInterfaceSettings) {
    this.#settings = settings;
    this.#random = seededRandom(settings.seed);
    this.#noise = Float32Array.from({ length: NOISE_FRAMES }, () => settings.noise * this.#random.normal());
    this.#sounds = Array.from({ length: settings.channels }, () => []);
  }

  /** A sound in front of a channel (from 0) at `atMs`. If it comes too late to be captured, it is lost. */
  play(channel: number, voice: VoiceName, atMs: number, level = 0.5): void {
    if (this.#epochMs === null) return;
    const { inputDelayMs, sampleRate } = this.#settings;
    const atFrame = ((atMs + inputDelayMs - this.#epochMs) / 1000) * sampleRate;
    this.#sounds[channel]?.push({ voice, level, atFrame });
  }

  /** Everything captured up to `untilMs` that wasn't delivered before; the first call only starts the clock. */
  capture(untilMs: number): SoundBlock | null {
    const { sampleRate } = this.#settings;
    this.#epochMs ??= untilMs;
    const until = floor(((untilMs - this.#epochMs) / 1000) * sampleRate);
    const frames = until - this.#nextFrame;
    if (frames <= 0) return null;
    const startFrame = this.#nextFrame;
    this.#nextFrame = until;
    const channels = this.#sounds.map((sounds) => this.#render(sounds, startFrame, frames));
    if (this.#settings.roomMicrophone) channels.push(mix(channels.slice(1)));
    return { sampleRate, startFrame, startMs: this.#epochMs + (startFrame / sampleRate) * 1000, channels };
  }

  #render(sounds: Sound[], startFrame: number, frames: number): Float32Array {
    const { sampleRate } = this.#settings;
    const samples = new Float32Array(frames);
    const noiseFrom = floor(NOISE_FRAMES * this.#random.uniform());
    for (let i = 0; i < frames; i++) samples[i] = this.#noise[(noiseFrom + i) % NOISE_FRAMES] as number;
    const longest = LONGEST_VOICE_SECONDS * sampleRate;
    for (const { voice: name, level, atFrame } of sounds) {
      const voice = VOICES[name];
      const from = max(0, ceil(atFrame) - startFrame);
      const to = min(frames, ceil(atFrame + longest) - startFrame);
      for (let i = from; i < to; i++)
        samples[i] = (samples[i] as number) + level * voice((startFrame + i - atFrame) / sampleRate);
    }
    const over = sounds.filter(({ atFrame }) => atFrame + longest < startFrame + frames);
    for (const sound of over) sounds.splice(sounds.indexOf(sound), 1);
    return samples;
  }
}

/** Attenuated so that many simultaneous sounds don't clip. */
const ROOM_LEVEL = 0.4;

function mix(channels: readonly Float32Array[]): Float32Array {
  const sum = new Float32Array(channels[0]?.length ?? 0);
  for (const channel of channels)
    for (let i = 0; i < sum.length; i++) sum[i] = (sum[i] as number) + ROOM_LEVEL * (channel[i] as number);
  return sum;
}
