import { CLICK_SOUNDS, MidiParser, type SoundBlock } from '@metronomo/core';
import { create } from 'zustand';
import { audioEngine } from './engine';

/** Returns are heard this much after they were captured, click and gear alike, so that none comes too late to be played. */
const MONITOR_DELAY_MS = 60;
/** Blocks are laid end to end; only when they stray this far from the clock are they set anew. */
const RESYNC_SECONDS = 0.01;

interface ListeningState {
  on: boolean;
  /** Of each channel of the returns, 0..1. */
  levels: Record<number, number>;
  /** The click and all returns in the middle, or the click on the left and the returns on the right. */
  sides: 'mixed' | 'apart';
  /** The one return that is heard against the click; null hears all. */
  solo: number | null;
  clickChannel: number;
  /** The channels on which something is expected; what comes on others is not heard. */
  expected: number[];
}

/** What is heard through the speakers. */
export const useListening = create<ListeningState>(() => ({
  on: true,
  levels: {},
  sides: 'mixed',
  solo: null,
  clickChannel: 0,
  expected: [],
}));

/** Of each channel: how loud, and on which side. */
let strips: { gain: GainNode; pan: StereoPannerNode }[] = [];
let next: { frame: number; time: number } | null = null;

/** Plays a captured block, all channels with the same delay: what is heard is what is measured. */
export function monitorBlock(block: SoundBlock): void {
  if (!useListening.getState().on) return;
  const { context, clock } = audioEngine();
  if (context.state !== 'running') return;
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
  }
  const { levels, sides, solo, clickChannel, expected } = useListening.getState();
  strips.forEach(({ gain, pan }, i) => {
    const left = i === clickChannel;
    const wanted = expected.includes(i) && (solo === null || left || solo === i);
    gain.gain.value = wanted ? (levels[i] ?? 0.8) : 0;
    pan.pan.value = sides === 'mixed' ? 0 : left ? -1 : 1;
  });
  return splitter;
}

let clickGain: GainNode | null = null;
const clicks = new Set<AudioBufferSourceNode>();
const parser = new MidiParser();

/**
 * The hub's own click, as a port: notes in, clicks out of the speakers at the time they are due. It is what a cable
 * takes back to an input as the reference.
 */
export function playClick(bytes: Uint8Array, atMs: number): void {
  const { on, levels } = useListening.getState();
  if (!on) return;
  const { context, clock } = audioEngine();
  for (const { message } of parser.push(bytes, atMs)) {
    if (message.kind !== 'noteOn' || context.state !== 'running') continue;
    clickGain ??= connected(context);
    clickGain.gain.value = levels[-1] ?? 0.8;
    const source = new AudioBufferSourceNode(context, {
      buffer: clickSound(context, message.note),
    });
    source.connect(clickGain);
    source.start(Math.max(context.currentTime, clock.contextTimeAt(atMs)));
    clicks.add(source);
    source.onended = () => clicks.delete(source);
  }
}

function connected(context: AudioContext): GainNode {
  const gain = new GainNode(context);
  gain.connect(context.destination);
  return gain;
}

const sounds = new Map<number, AudioBuffer>();

/** By note: how high it sounds, and how fast it dies away. */
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
