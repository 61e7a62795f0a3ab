import { analyzeRecording, RecordingError, type BeatReference } from '@metronomo/core';
import type { Take, TakeBeats, TakeLine } from '../store/records';

/** Measures every line of a take in its sound; a line in which nothing can be measured says why. */
export function analyzeTake(take: Take, sound: Float32Array[]): Take {
  const startedAt = performance.now();
  const lines = take.lines.map((line) => analyzeLine(line, take, sound));
  return { ...take, frames: sound[0]?.length ?? 0, lines, computeMs: performance.now() - startedAt };
}

function analyzeLine(line: TakeLine, take: Take, sound: Float32Array[]): TakeLine {
  const bare: TakeLine = { ...line };
  delete bare.problem;
  try {
    const gear = sound[line.channel] ?? new Float32Array();
    return { ...bare, ...analyzeRecording(gear, take.sampleRate, beatsOf(take.beats, sound)) };
  } catch (error) {
    if (!(error instanceof RecordingError)) throw error;
    return { ...bare, report: null, problem: error.message, landings: [], pulsesMs: [], onsetsMs: [] };
  }
}

function beatsOf(beats: TakeBeats, sound: Float32Array[]): BeatReference {
  return 'bpm' in beats ? beats : { click: sound[beats.clickChannel] ?? new Float32Array() };
}
