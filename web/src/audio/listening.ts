import { CLICK_SOUNDS, MidiParser, type SoundBlock } from '@metronomo/core';
import { create } from 'zustand';
import { runningEngine } from './engine';
import { isLeftOut, notePlayed } from './played-clicks';

/** Returns are played this long after capture, click and gear alike, so that no block misses its time. */
const MONITOR_DELAY_MS = 60;
/** Blocks are played back to back; resync only beyond this error. */
const RESYNC_SECONDS = 0.01;

interface ListeningState {
  on: boolean;
  /** Per return channel, 0..1. */
  levels: Record<number, number>;
  /** Everything centred, or the click left and the returns right. */
  sides: 'mixed' | 'apart';
  /** The only return to hear with the click; null for all. */
  solo: number | null;
  clickChannel: number;
  /** Channels with an audio return; others are muted. */
  expected: number[];
  /** A real input is heard, with the click delayed by its round trip; null if it isn't. */
  input: { channels: number; roundTripMs: number } | null;
}

/** The monitor mix. */
export const useListening = create<ListeningState>(() => ({
  on: true,
  levels: {},
  sides: 'mixed',
  solo: null,
  clickChannel: 0,
  expected: [],
  input: null,
}));

/** Gain and panning per channel. */
let strips: { gain: GainNode; pan: StereoPannerNode }[] = [];
let next: { frame: number; time: number } | null = null;

/** Plays a captured block with the same delay on all channels: what you hear is what is measured. */
export function monitorBlock(block: SoundBlock): void {
  const engine = useListening.getState().on ? runningEngine() : null;
  if (!engine) return;
  const { context, clock } = engine;
  const due = clock.contextTimeAt(block.startMs + MONITOR_DELAY_MS);
  const follows = next?.frame === block.startFrame && Math.abs(next.time - due) < RESYNC_SECONDS;
  const at = follows && next ? next.time : due;
  const frames = block.channels[0]?.length ?? 0;
  next = { frame: block.startFrame + frames, time: at + frames / block.sampleRate };
  if (at < context.currentTime) return;
  const buffer = context.createBuffer(block.channels.length, frames, block.sampleRate);
  block.channels.forEach((channel, i) => buffer.copyToChannel(new Float32Array(channel), i));
  const source = new AudioBufferSourceNode(context, { buffer });
  source.connect(mixer(context, block.channels.length));
  source.start(at);
}

/** Of a channel whose level was never set. */
export const DEFAULT_LEVEL = 0.8;

let splitter: ChannelSplitterNode | null = null;

function mixer(context: AudioContext, channels: number): AudioNode {
  if (!splitter || strips.length !== channels) {
    splitter?.disconnect();
    splitter = new ChannelSplitterNode(context, { numberOfOutputs: channels });
    strips = Array.from({ length: channels }, (_, i) => {
      const gain = new GainNode(context);
      const pan = new StereoPannerNode(context);
      splitter?.connect(gain, i);
      gain.connect(pan).connect(context.destination);
      return { gain, pan };
    });
    setStrips();
  }
  return splitter;
}

function setStrips(): void {
  const { on, levels, sides, solo, clickChannel, expected, input } = useListening.getState();
  strips.forEach(({ gain, pan }, i) => {
    const isClick = i === clickChannel;
    const wanted = expected.includes(i) && (solo === null || isClick || solo === i);
    // The click on its way out is delayed as much; what comes back would be a second one.
    const silent = input !== null && (isClick || !on);
    gain.gain.value = wanted && !silent ? (levels[i] ?? DEFAULT_LEVEL) : 0;
    pan.pan.value = sides === 'mixed' ? 0 : isClick ? -1 : 1;
  });
}
useListening.subscribe(setStrips);

/** Sound that is this loud for this long (RMS, 0..1) goes round from the speakers to the input. */
const HOWL = 0.5;
const HOWL_LOOKS = 10;
const LOOK_EVERY_MS = 100;

/**
 * Plays an open input through the page. Its frames and the click's are those of one context, so a click that is delayed
 * by the round trip is heard as late against the device as it is. `onHowl` is called when sound goes round.
 * @returns what ends it.
 */
export function hearInput(source: AudioNode, channels: number, roundTripMs: number, onHowl: () => void): () => void {
  const context = source.context as AudioContext;
  source.connect(mixer(context, channels));
  const meter = new AnalyserNode(context, { fftSize: 2048 });
  source.connect(meter);
  const samples = new Float32Array(meter.fftSize);
  let loudLooks = 0;
  const timer = setInterval(() => {
    meter.getFloatTimeDomainData(samples);
    const power = samples.reduce((sum, sample) => sum + sample * sample, 0) / samples.length;
    loudLooks = Math.sqrt(power) > HOWL ? loudLooks + 1 : 0;
    if (loudLooks >= HOWL_LOOKS) onHowl();
  }, LOOK_EVERY_MS);
  useListening.setState({ input: { channels, roundTripMs } });
  return () => {
    clearInterval(timer);
    meter.disconnect();
    source.disconnect(meter);
    if (splitter) source.disconnect(splitter);
    useListening.setState({ input: null, solo: null });
  };
}

let clickStrip: { gain: GainNode; pan: StereoPannerNode } | null = null;
const clicks = new Set<AudioBufferSourceNode>();
const parser = new MidiParser();

/**
 * The hub's click as a port: notes in, clicks out of the speakers when due. A cable from there to an input is the
 * reference.
 */
export function playClick(bytes: Uint8Array, atMs: number): void {
  const { on, levels, input, sides } = useListening.getState();
  const engine = on ? runningEngine() : null;
  if (!engine) return;
  const { context, clock } = engine;
  const delayMs = input?.roundTripMs ?? 0;
  for (const { message } of parser.push(bytes, atMs)) {
    if (message.kind !== 'noteOn' || isLeftOut()) continue;
    clickStrip ??= connected(context);
    clickStrip.gain.gain.value = levels[-1] ?? DEFAULT_LEVEL;
    clickStrip.pan.pan.value = input && sides === 'apart' ? -1 : 0;
    const source = new AudioBufferSourceNode(context, {
      buffer: clickSound(context, message.note),
    });
    source.connect(clickStrip.gain);
    // On a whole frame, so that the way back to an input can be counted in frames.
    const frame = Math.ceil(Math.max(context.currentTime, clock.contextTimeAt(atMs + delayMs)) * context.sampleRate);
    source.start(frame / context.sampleRate);
    notePlayed(frame);
    clicks.add(source);
    source.onended = () => clicks.delete(source);
  }
}

function connected(context: AudioContext): { gain: GainNode; pan: StereoPannerNode } {
  const gain = new GainNode(context);
  const pan = new StereoPannerNode(context);
  gain.connect(pan).connect(context.destination);
  return { gain, pan };
}

const sounds = new Map<number, AudioBuffer>();

/** Pitch and decay of each note. */
const HERTZ: Readonly<Record<number, readonly [hertz: number, decaySeconds: number]>> = {
  [CLICK_SOUNDS['wood block'].barNote]: [2340, 0.006],
  [CLICK_SOUNDS['wood block'].beatNote]: [1560, 0.006],
  [CLICK_SOUNDS.metronome.barNote]: [3100, 0.02],
  [CLICK_SOUNDS.metronome.beatNote]: [980, 0.004],
  [CLICK_SOUNDS.claves.barNote]: [2500, 0.012],
  [CLICK_SOUNDS.claves.beatNote]: [1800, 0.003],
};

function clickSound(context: AudioContext, note: number): AudioBuffer {
  const known = sounds.get(note);
  if (known) return known;
  const [hertz, decaySeconds] = HERTZ[note] ?? [1560, 0.006];
  const buffer = context.createBuffer(1, Math.round(5 * decaySeconds * context.sampleRate), context.sampleRate);
  const samples = buffer.getChannelData(0);
  for (let i = 0; i < samples.length; i++) {
    const seconds = i / context.sampleRate;
    samples[i] = 0.6 * Math.cos(2 * Math.PI * hertz * seconds) * Math.exp(-seconds / decaySeconds);
  }
  sounds.set(note, buffer);
  return buffer;
}
