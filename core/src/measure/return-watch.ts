import { greatest } from 'd3-array';
import { BleedWatch, type Heard } from './bleed-watch';
import { detectOnsetsOf } from './detect-onsets';
import type { FollowState } from '../follow/follow-state';
import type { Hit } from './find-bar-start';
import { fitTempo } from './fit-tempo';
import { matchOnsets, type Landing } from './match-onsets';
import { cutClicks, type Click } from './take-out-click';

/** The audio return on one channel over the last beats. */
export interface ReturnReading {
  state: FollowState;
  /** The tempo heard, in BPM. */
  bpm: number | null;
  /** `pulse` counts back from the newest beat: 0, -1, -2 ... */
  landings: Landing[];
  medianMs: number | null;
  /** Time of the last hit, in ms on the timeline of the blocks. It needn't be a landing: a pattern has more hits. */
  lastHitMs: number | null;
  /** Time of the hit that is the newest landing. */
  landedMs: number | null;
  /** Peak sample of the last quarter second, 0..1. */
  level: number;
  /** The click bleeds in at this level, dB, and was taken out; null if it doesn't. */
  bleedDb: number | null;
}

/** The range of `latestBeat` around the beat, in ms. */
export const BEAT_VIEW_MS = [-10, 60] as const;

const KEPT_MS = 3000;
const EVERY_MS = 250;
/** Pause after an analysis, as a multiple of its own duration. */
const REST_PER_LOOK = 10;
/** An attack is evaluated once this much audio has followed it. */
const RIPE_MS = 60;
/** What began before the audio that is kept looks like a hit at its start. */
const EDGE_MS = 60;
/** The same onset, found again in the next analysis, differs by no more than this. */
const SAME_MS = 20;
const KEPT_BEATS = 16;
const KEPT_HITS = 4 * KEPT_BEATS;
const MIN_TO_LOCK = 4;
const TEMPO_TOLERANCE = 0.01;
/** Hits a beat that are in time with it: quarters, eighths, triplets, sixteenths, half notes, one a bar. */
const PATTERNS = [1, 2, 3, 4, 0.5, 0.25];

interface Channel {
  /** The last seconds up to the latest analysis. */
  samples: Float32Array;
  /** The same without the click. */
  own: Float32Array;
  bleed: BleedWatch | null;
  /** Audio received since. */
  fresh: Float32Array[];
  hitsMs: number[];
  /** Peak of each of them, 0..1. */
  levels: number[];
}

/**
 * Watches live returns: detects onsets as audio comes in, and measures each channel against the one that carries the
 * hub's click. Blocks are consecutive; all channels have the same length.
 */
export class ReturnWatch {
  readonly #sampleRate: number;
  readonly #referenceChannel: number;
  readonly #kept: number;
  readonly #channels: Channel[];
  #endMs = 0;
  #beganMs: number | null = null;
  #lookedMs = -Infinity;
  #everyMs = EVERY_MS;

  constructor(settings: { sampleRate: number; channels: number; referenceChannel: number }) {
    this.#sampleRate = settings.sampleRate;
    this.#referenceChannel = settings.referenceChannel;
    this.#kept = Math.round((KEPT_MS / 1000) * settings.sampleRate);
    this.#channels = Array.from({ length: settings.channels }, (_, i) => ({
      samples: new Float32Array(this.#kept),
      own: new Float32Array(0),
      bleed: i === settings.referenceChannel ? null : new BleedWatch(settings.sampleRate),
      fresh: [],
      hitsMs: [],
      levels: [],
    }));
  }

  /** `startMs`: capture time of the block's first sample. Returns true if there is a new reading. */
  push(channels: readonly Float32Array[], startMs: number): boolean {
    const frames = channels[0]?.length ?? 0;
    this.#beganMs ??= startMs;
    this.#endMs = startMs + (frames / this.#sampleRate) * 1000;
    this.#channels.forEach(({ fresh }, i) => fresh.push(channels[i] ?? new Float32Array(frames)));
    if (this.#endMs - this.#lookedMs < this.#everyMs) return false;
    this.#lookedMs = this.#endMs;
    for (const { samples, fresh } of this.#channels) append(samples, fresh.splice(0));
    const reference = this.#channels[this.#referenceChannel];
    const clicks = reference ? this.#clicksOn(reference) : [];
    this.#studyOne(clicks);
    for (const channel of this.#channels)
      if (channel !== reference && channel.bleed) this.#listen(channel, channel.bleed.listen(channel.samples, clicks));
    return true;
  }

  /**
   * Reports the duration of an analysis, so that the next one leaves most of the time to other work. Otherwise a slow
   * computer would fall behind and do nothing else.
   */
  lookTook(ms: number): void {
    this.#everyMs = Math.min(KEPT_MS / 2, Math.max(EVERY_MS, REST_PER_LOOK * ms));
  }

  /** One reading per channel; the reference channel is measured against itself. `bpm`: the expected tempo. */
  readings(bpm: number): ReturnReading[] {
    const pulsesMs = this.#channels[this.#referenceChannel]?.hitsMs.slice(-KEPT_BEATS) ?? [];
    return this.#channels.map((channel) => this.#reading(channel, pulsesMs, bpm));
  }

  /** The last hits on a channel, with their peaks. */
  hitsOn(channel: number): Hit[] {
    const { hitsMs = [], levels = [] } = this.#channels[channel] ?? {};
    return hitsMs.map((atMs, i) => ({ atMs, level: levels[i] ?? 0 }));
  }

  /** The audio around the last beat that is complete, one array per channel; null before the first. */
  latestBeat(): Float32Array[] | null {
    const pulseMs = this.#channels[this.#referenceChannel]?.hitsMs.findLast(
      (ms) => ms + BEAT_VIEW_MS[1] < this.#lookedMs,
    );
    if (pulseMs === undefined) return null;
    const at = (ms: number) => Math.round(((pulseMs + ms - this.#lookedMs + KEPT_MS) / 1000) * this.#sampleRate);
    const [from, to] = [at(BEAT_VIEW_MS[0]), at(BEAT_VIEW_MS[1])];
    return from < 0 ? null : this.#channels.map(({ own }) => own.slice(from, to));
  }

  /** The clicks as they are in what is kept now: after a dropout, times of earlier ones don't fit it any more. */
  #clicksOn(reference: Channel): Click[] {
    const { samples } = reference;
    const onsets = detectOnsetsOf(samples, this.#sampleRate);
    this.#listen(reference, { samples, onsets });
    const onsetsMs = onsets.map(({ timeMs }) => timeMs);
    return cutClicks(samples, this.#sampleRate, onsetsMs);
  }

  /** One channel a look, so that none takes long. */
  #studyOne(clicks: readonly Click[]): void {
    const overdueMs = ({ bleed }: Channel) => bleed?.overdueMs(this.#lookedMs) ?? -Infinity;
    const channel = greatest(this.#channels, overdueMs);
    if (!channel?.bleed || overdueMs(channel) < 0) return;
    const { bleed, samples } = channel;
    const before = bleed.bleedDb;
    bleed.study(samples, clicks, this.#lookedMs);
    // What was heard until now may have been the click.
    if (before === null && bleed.bleedDb !== null) channel.hitsMs.length = channel.levels.length = 0;
  }

  #listen(channel: Channel, { samples, onsets }: Heard): void {
    const { hitsMs, levels } = channel;
    channel.own = samples;
    const startMs = this.#lookedMs - KEPT_MS;
    // At the start of listening, noise rises out of nothing: that isn't a hit.
    const newest = hitsMs.at(-1) ?? this.#beganMs ?? -Infinity;
    for (const { timeMs } of onsets) {
      const atMs = startMs + timeMs;
      if (timeMs < EDGE_MS || atMs <= newest + SAME_MS || atMs >= this.#lookedMs - RIPE_MS) continue;
      const from = Math.round((timeMs / 1000) * this.#sampleRate);
      hitsMs.push(atMs);
      levels.push(peak(samples.subarray(from, from + Math.round((RIPE_MS / 1000) * this.#sampleRate))));
    }
    hitsMs.splice(0, hitsMs.length - KEPT_HITS);
    levels.splice(0, levels.length - KEPT_HITS);
  }

  #reading({ samples, hitsMs, bleed }: Channel, pulsesMs: number[], bpm: number): ReturnReading {
    const beatMs = 60_000 / bpm;
    const lastHitMs = hitsMs.at(-1) ?? null;
    const recent = hitsMs.filter((ms) => ms > (pulsesMs[0] ?? Infinity) - beatMs / 4);
    const { landings } = matchOnsets(pulsesMs, recent);
    const newest = landings.at(-1);
    const heardBpm = fitTempo(recent.slice(-8));
    const sorted = landings.map(({ lateMs }) => lateMs).sort((a, b) => a - b);
    const quiet = lastHitMs === null || this.#endMs - lastHitMs > 2.5 * beatMs;
    const hitsPerBeat = PATTERNS.find(
      (hits) => heardBpm !== null && Math.abs(heardBpm / (hits * bpm) - 1) < TEMPO_TOLERANCE,
    );
    return {
      state: quiet
        ? lastHitMs === null
          ? 'silent'
          : 'lost'
        : landings.length >= MIN_TO_LOCK && hitsPerBeat !== undefined
          ? 'locked'
          : 'settling',
      bpm: quiet || heardBpm === null ? null : heardBpm / (hitsPerBeat ?? 1),
      landings: landings.map(({ pulse, lateMs }) => ({ pulse: pulse - pulsesMs.length + 1, lateMs })),
      medianMs: sorted[Math.floor(sorted.length / 2)] ?? null,
      lastHitMs,
      landedMs: newest ? (pulsesMs[newest.pulse] ?? NaN) + newest.lateMs : null,
      level: peak(samples.subarray(-Math.round(this.#sampleRate / 4))),
      bleedDb: bleed?.bleedDb ?? null,
    };
  }
}

/** Shift the kept seconds once per analysis, not per block. */
function append(kept: Float32Array, blocks: readonly Float32Array[]): void {
  const frames = blocks.reduce((sum, block) => sum + block.length, 0);
  kept.copyWithin(0, Math.min(frames, kept.length));
  let at = kept.length - frames;
  for (const block of blocks) {
    kept.set(block.subarray(Math.min(block.length, Math.max(0, -at))), Math.max(0, at));
    at += block.length;
  }
}

function peak(samples: Float32Array): number {
  let highest = 0;
  for (const sample of samples) highest = Math.max(highest, Math.abs(sample));
  return highest;
}
