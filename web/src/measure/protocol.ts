import type { Envelope, ReturnReading } from '@metronomo/core';
import type { ClockTake, Take, TakePlan } from '../store/records';

/** How far a take has come. */
export interface TakeProgress {
  capturedSeconds: number;
  wantedSeconds: number;
}

/** What is known of a dropped file before anything is measured in it. */
export interface FileSummary {
  sampleRate: number;
  seconds: number;
  /** Highest sample of each channel, 0..1. */
  peaks: number[];
}

/** What is found in one part that was recorded by itself. Times in ms from the start of its file. */
export interface StemReading {
  sampleRate: number;
  /** Of each channel, the highest sample, 0..1. */
  peaks: number[];
  seconds: number;
  /** How late it lands after the click in it, and half of the 95 % interval; null where there is no click to go by. */
  lateMs: number | null;
  doubtMs: number;
  firstClickMs: number | null;
  /** Why it cannot be believed, or what else is wrong with it. */
  problem: string | null;
}

/** By how many samples each channel of a part is moved; minus is earlier. */
export interface StemMove {
  samples: number[];
}

export interface LiveReadings {
  readings: ReturnReading[];
  /** The sound around the newest beat, one array a channel. */
  beat: Float32Array[] | null;
  /** When the newest sample was captured, in ms of the window's clock; null while that is not known. */
  endMs: number | null;
}

export interface MeasureWorkerApi {
  /** Which data belong to the rig in use, by name. */
  keepIn(name: string): void;
  onLive(tell: (live: LiveReadings) => void): void;
  /** Blocks come in by this port from now on, and from no other. */
  useSource(port: MessagePort): void;
  /** Of a source that does not say when its blocks were captured: when its frame 0 was. */
  setFrameZero(frameZeroMs: number): void;
  setReference(clickChannel: number, bpm: number): void;
  /** Captures from one moment to another of the window's clock, writing as it goes, then measures. */
  record(take: Take, fromMs: number, toMs: number, tell: (progress: TakeProgress) => void): Promise<Take>;
  /** How the take under way goes, as far as is known, in ms of the window's clock. */
  planTake(plan: TakePlan): void;
  /** All that the take under way wanted has been played. */
  completeTake(): void;
  /** Ends the take under way with what it has. */
  endTake(why: string): void;
  /** Computes a take again from its sound. */
  analyze(takeId: string): Promise<Take>;
  /** Computes a clock's take from its ticks. */
  analyzeClock(takeId: string): Promise<ClockTake>;
  openFile(bytes: Uint8Array): FileSummary;
  /** Measures the opened file and keeps it as a take; when nothing can be measured, throws why, and keeps nothing. */
  keepFile(take: Take): Promise<Take>;
  /** Measures a part by the click on one of its channels; without one, only reads it. */
  readStem(bytes: Uint8Array, clickChannel: number | null): StemReading;
  /** The part, moved, as a WAV file. Whole samples are moved as they are, fractions are read between them. */
  moveStem(bytes: Uint8Array, move: StemMove): Uint8Array;
  /** The shape of a take's channels, all of it or a stretch in ms, in so many columns: what the screen can show of it. */
  envelopes(
    takeId: string,
    channels: number[],
    columns: number,
    withinMs: [number, number] | null,
  ): Promise<Envelope[]>;
  /** A stretch of one channel; silence where it reaches past the ends. */
  excerpt(takeId: string, channel: number, fromSample: number, toSample: number): Promise<Float32Array>;
}
