import { seededRandom, type SeededRandom } from './random';
import { LONGEST_VOICE_SECONDS, VOICES, type VoiceName } from './voices';

/** A stretch of captured sound, as a real audio interface hands it over. */
export interface SoundBlock {
  sampleRate: number;
  /** Counted from the first sample ever captured; blocks follow on without gap. */
  startFrame: number;
  /** When the first frame was captured, in ms on the hub's timeline. */
  startMs: number;
  /** One array a channel, -1..1. */
  channels: Float32Array[];
}

interface Sound {
  readonly voice: VoiceName;
  readonly level: number;
  /** In frames, with a fraction: sounds do not wait for the next sample. */
  readonly atFrame: number;
}

export interface SoundInterfaceSettings {
  sampleRate: number;
  channels: number;
  /** Hidden: how long sound takes from the air to the sample. */
  inputDelayMs: number;
  /** Hidden: standard deviation of the converter's noise. */
  noise: number;
  seed: number;
  /** One microphone before all gear, on a channel after the others, that hears all of them but the first channel. */
  roomMicrophone?: boolean;
}

const { ceil, floor, max, min } = Math;
const NOISE_FRAMES = 65_536;

/** A simulated audio interface: sounds go in at a time, samples come out, later and with noise, as they do from a real one. */
export class SoundInterface {
  readonly #settings: SoundInterfaceSettings;
  readonly #random: SeededRandom;
  /** Drawn once and read from a new place for every block: drawing each sample anew would cost more than all the rest. */
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

  /** A sound in the air at `atMs` in front of a channel, counted from 0. What comes too late to be captured is lost. */
  play(channel: number, voice: VoiceName, atMs: number, level = 0.5): void {
    if (this.#epochMs === null) return;
    const { inputDelayMs, sampleRate } = this.#settings;
    const atFrame = ((atMs + inputDelayMs - this.#epochMs) / 1000) * sampleRate;
    this.#sounds[channel]?.push({ voice, level, atFrame });
  }

  /** Everything captured up to `untilMs` that was not handed over before; the first call only starts the clock. */
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

/** Quieter, so that many at once do not go over the top. */
const ROOM_LEVEL = 0.4;

function mix(channels: readonly Float32Array[]): Float32Array {
  const sum = new Float32Array(channels[0]?.length ?? 0);
  for (const channel of channels)
    for (let i = 0; i < sum.length; i++) sum[i] = (sum[i] as number) + ROOM_LEVEL * (channel[i] as number);
  return sum;
}
