import { CLICK_SOUNDS, MidiParser, type SoundBlock } from '@metronomo/core';
import { create } from 'zustand';
import { runningEngine } from './engine';
import { notePlayed } from './played-clicks';

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
}

/** The monitor mix. */
export const useListening = create<ListeningState>(() => ({
  on: true,
  levels: {},
  sides: 'mixed',
  solo: null,
  clickChannel: 0,
  expected: [],
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
 * The hub's click as a port: notes in, clicks out of the speakers when due. A cable from there to an input is the
 * reference.
 */
export function playClick(bytes: Uint8Array, atMs: number): void {
  const { on, levels } = useListening.getState();
  const engine = on ? runningEngine() : null;
  if (!engine) return;
  const { context, clock } = engine;
  for (const { message } of parser.push(bytes, atMs)) {
    if (message.kind !== 'noteOn') continue;
    clickGain ??= connected(context);
    clickGain.gain.value = levels[-1] ?? 0.8;
    const source = new AudioBufferSourceNode(context, {
      buffer: clickSound(context, message.note),
    });
    source.connect(clickGain);
    // On a whole frame, so that the way back to an input can be counted in frames.
    const frame = Math.ceil(Math.max(context.currentTime, clock.contextTimeAt(atMs)) * context.sampleRate);
    source.start(frame / context.sampleRate);
    notePlayed(frame);
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
