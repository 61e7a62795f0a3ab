import { AudioClock } from './audio-clock';

interface Engine {
  context: AudioContext;
  clock: AudioClock;
}

let engine: Engine | null = null;

/** Thread hand-over beyond the output's own latency: two audio blocks. */
const HANDING_OVER_MS = 6;

/** How long before it is due a sound must be handed over, in ms; 0 while there is no audio. */
export function soundLeadMs(): number {
  return engine ? engine.context.outputLatency * 1000 + HANDING_OVER_MS : 0;
}

/** The sound card's reported buffer latency, ms; null while no audio flows, because it isn't reported then. */
export function audioBufferMs(): number | null {
  if (!engine || engine.context.state !== 'running' || engine.context.outputLatency === 0) return null;
  return (engine.context.baseLatency + engine.context.outputLatency) * 1000;
}

/** The page's audio context and its clock; null before the first press, when browsers allow no sound. */
export function runningEngine(): Engine | null {
  return engine?.context.state === 'running' ? engine : null;
}

/** The page's only audio context, created on the first user gesture that needs audio, with its clock. */
export function audioEngine(): Engine {
  if (!engine) {
    const context = new AudioContext({ sampleRate: 48_000, latencyHint: 'interactive' });
    engine = { context, clock: new AudioClock(context) };
  }
  if (engine.context.state === 'suspended') void engine.context.resume();
  return engine;
}
