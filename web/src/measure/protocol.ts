import type { Envelope, Hit, ReturnReading } from '@metronomo/core';
import type { ClockTake, Take, TakePlan } from '../store/records';

/** Progress of a take. */
export interface TakeProgress {
  capturedSeconds: number;
  wantedSeconds: number;
}

/** Facts about a dropped file, before any analysis. */
export interface FileSummary {
  sampleRate: number;
  seconds: number;
  /** Peak sample of each channel, 0..1. */
  peaks: number[];
}

/** The measurement of one stem. Times in ms from the start of its file. */
export interface StemReading {
  sampleRate: number;
  /** Peak sample of each channel, 0..1. */
  peaks: number[];
  seconds: number;
  /** Lateness relative to its click, and half the width of its 95% interval; null without a click. */
  lateMs: number | null;
  doubtMs: number;
  firstClickMs: number | null;
  /** Why it isn't reliable, or another problem. */
  problem: string | null;
}

/** Shift of each channel of a stem in samples; minus is earlier. */
export interface StemMove {
  samples: number[];
}

export interface LiveReadings {
  readings: ReturnReading[];
  /** The audio around the last beat, one array per channel. */
  beat: Float32Array[] | null;
  /** Capture time of the newest sample, in ms of the window's clock; null if unknown. */
  endMs: number | null;
}

export interface MeasureWorkerApi {
  /** Sets the database of the current rig, by name. */
  keepIn(name: string): void;
  onLive(tell: (live: LiveReadings) => void): void;
  /** Switches to the blocks from this port. */
  useSource(port: MessagePort): void;
  /** The last hits on a channel of the open source. */
  hitsOn(channel: number): Hit[];
  /** For a source without capture times: when its frame 0 was. */
  setFrameZero(frameZeroMs: number): void;
  setReference(clickChannel: number, bpm: number): void;
  /** Records from one moment to another of the window's clock, storing as it goes; not analyzed yet. */
  record(take: Take, fromMs: number, toMs: number, tell: (progress: TakeProgress) => void): Promise<Take>;
  /** Analyzes what was recorded and stores it as a take. */
  keepTake(recorded: Take): Promise<{ take: Take; saved: boolean }>;
  /** What is known about the progress of the current take, in ms of the window's clock. */
  planTake(plan: TakePlan): void;
  /** The current take has played everything it needed. */
  completeTake(): void;
  /** Finishes the current take early. */
  endTake(why: string): void;
  /** Re-analyzes a take from its audio. */
  analyze(takeId: string): Promise<Take>;
  /** Analyzes a clock take from its ticks. */
  analyzeClock(takeId: string): Promise<ClockTake>;
  openFile(bytes: Uint8Array): FileSummary;
  /** Analyzes the opened file and stores it as a take; if it can't be measured, throws why and stores nothing. */
  keepFile(take: Take): Promise<Take>;
  /** Measures a stem by its click channel; without one, only reads it. */
  readStem(bytes: Uint8Array, clickChannel: number | null): StemReading;
  /** The shifted stem as a WAV file. Whole samples are copied, fractions interpolated. */
  moveStem(bytes: Uint8Array, move: StemMove): Uint8Array;
  /** Waveform envelopes of a take's channels, whole or for a stretch in ms, in this many columns. */
  envelopes(
    takeId: string,
    channels: number[],
    columns: number,
    withinMs: [number, number] | null,
  ): Promise<Envelope[]>;
  /** A stretch of one channel, padded with silence beyond its ends. */
  excerpt(takeId: string, channel: number, fromSample: number, toSample: number): Promise<Float32Array>;
}
