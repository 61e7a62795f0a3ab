import { AudioClock } from './audio-clock';

let engine: { context: AudioContext; clock: AudioClock } | null = null;

/** From this thread to that of the sound, besides the output's own latency: two of its blocks. */
const HANDING_OVER_MS = 6;

/** How long before a sound is due it must be handed over, in ms; 0 while there is no sound. */
export function soundLeadMs(): number {
  return engine ? engine.context.outputLatency * 1000 + HANDING_OVER_MS : 0;
}

/** What the sound card's buffers delay by what they say themselves, ms; null while no sound flows, for they say nothing then. */
export function audioBufferMs(): number | null {
  if (!engine || engine.context.state !== 'running' || engine.context.outputLatency === 0) return null;
  return (engine.context.baseLatency + engine.context.outputLatency) * 1000;
}

/** The page's one audio context, made on the first press that needs sound, with the clock that goes with it. */
export function audioEngine(): { context: AudioContext; clock: AudioClock } {
  if (!engine) {
    const context = new AudioContext({ sampleRate: 48_000, latencyHint: 'interactive' });
    engine = { context, clock: new AudioClock(context) };
  }
  if (engine.context.state === 'suspended') void engine.context.resume();
  return engine;
}
