import * as Comlink from 'comlink';
import { readWav, ReturnWatch, waveformEnvelope, type Envelope } from '@metronomo/core';
import type { ToMeasure } from '../hub/protocol';
import { heartbeat, holdLifeline } from '../workers/lifeline';
import type { Lifeline } from '../workers/worker-link';
import { database, keepIn } from '../store/database';
import { loadTicks, otherTicks } from '../store/clock-takes';
import type { ClockTake, Take } from '../store/records';
import { moveStem, readStem } from './stems';
import { isLongRun } from '../store/take-kind';
import { deleteTake, loadChannel, loadPieces, pieceLengths } from '../store/takes';
import { isStorageFull } from '../store/unsaved';
import { analyzeClock } from './analyze-clock';
import { analyzeStored } from './analyze-stored';
import { analyzeTake, type LoadChannel } from './analyze-take';
import type { LiveReadings, MeasureWorkerApi } from './protocol';
import { TakeRecorder } from './take-recorder';

/** A dropped file is stored in chunks to bound the size of a record. */
const FILE_CHUNK_SECONDS = 5;
const WATCH_MS = 500;

let tellLive: ((live: LiveReadings) => void) | null = null;
let source: MessagePort | null = null;
let frameZeroMs: number | null = null;
let watch: ReturnWatch | null = null;
let reference = { clickChannel: 0, bpm: 120 };
let recorder: TakeRecorder | null = null;
let file: { sampleRate: number; channels: Float32Array[] } | null = null;

const api: MeasureWorkerApi & Lifeline = {
  holdLifeline,
  heartbeat,
  keepIn,
  onLive(tell) {
    tellLive = tell;
  },
  useSource(port) {
    source?.close();
    source = port;
    watch = null;
    frameZeroMs = null;
    recorder?.end('The audio input changed during the take.');
    port.onmessage = ({ data }: MessageEvent<ToMeasure>) => receive(data);
  },
  hitsOn: (channel) => watch?.hitsOn(channel) ?? [],
  setFrameZero(ms) {
    frameZeroMs = ms;
  },
  setReference(clickChannel, bpm) {
    if (clickChannel !== reference.clickChannel) watch = null;
    reference = { clickChannel, bpm };
  },
  async record(take, fromMs, toMs, tell) {
    recorder?.end('Another take was started.');
    const mine = new TakeRecorder(take, fromMs, toMs, tell);
    recorder = mine;
    const watching = setInterval(() => mine.watch(performance.now()), WATCH_MS);
    try {
      return await mine.done;
    } finally {
      clearInterval(watching);
      if (recorder === mine) recorder = null;
    }
  },
  async keepTake(recorded) {
    const measured = await analyzeTake(recorded, channelsOf(recorded.id));
    const saved = await database.takes.put(measured).then(
      () => true,
      (error: unknown) => {
        if (!isStorageFull(error)) throw error;
        return false;
      },
    );
    return { take: measured, saved };
  },
  planTake(plan) {
    recorder?.plan(plan);
  },
  completeTake() {
    recorder?.complete();
  },
  endTake(why) {
    recorder?.end(why);
  },
  async analyze(takeId) {
    const take = await database.takes.get(takeId);
    const run = isLongRun(take?.plan) ? await loadTicks(takeId) : undefined;
    return analyzeStored(takeId, channelsOf(takeId), run);
  },
  async analyzeClock(takeId) {
    const take = await database.clockTakes.get(takeId);
    if (!take) throw new Error('This take was deleted. Choose another one.');
    const measured = { ...take, ...(await clockResult(takeId)) };
    await database.clockTakes
      .where('id')
      .equals(takeId)
      .modify((_, stored) => {
        stored.value = measured;
      });
    return measured;
  },
  openFile(bytes) {
    file = readWav(bytes);
    const { sampleRate, channels } = file;
    const peaks = channels.map((channel) => channel.reduce((peak, sample) => Math.max(peak, Math.abs(sample)), 0));
    return { sampleRate, seconds: (channels[0]?.length ?? 0) / sampleRate, peaks };
  },
  async keepFile(take) {
    const { channels, sampleRate } = openedFile();
    const ofFile = (channel: number) => Promise.resolve(channels[channel] ?? new Float32Array());
    const measured: Take = { ...(await analyzeTake(take, ofFile)), status: 'done' };
    const problem = measured.lines.find((line) => line.problem)?.problem;
    if (problem) throw new Error(problem);
    await keepSound(take.id, channels, FILE_CHUNK_SECONDS * sampleRate);
    await database.takes.add(measured);
    return measured;
  },
  readStem,
  moveStem(bytes, move) {
    const moved = moveStem(bytes, move);
    return Comlink.transfer(moved, [moved.buffer]);
  },
  async envelopes(takeId, channels, columns, withinMs) {
    const { sampleRate = 0 } = (await database.takes.get(takeId)) ?? {};
    const at = (ms: number, most: number) => Math.min(most, Math.max(0, Math.round((ms * sampleRate) / 1000)));
    const load = channelsOf(takeId);
    const shapes: Envelope[] = [];
    for (const channel of channels) {
      const samples = await load(channel);
      const [from, to] = withinMs ? withinMs.map((ms) => at(ms, samples.length)) : [0, samples.length];
      shapes.push(waveformEnvelope(samples, from ?? 0, to ?? samples.length, columns));
    }
    return shapes;
  },
  async excerpt(takeId, channel, fromSample, toSample) {
    return excerptOf(takeId, channel, fromSample, toSample);
  },
};

async function clockResult(takeId: string): Promise<Pick<ClockTake, 'result' | 'ticks' | 'problem' | 'computeMs'>> {
  const times = await loadTicks(takeId);
  const others = await loadTicks(otherTicks(takeId));
  const startedAt = performance.now();
  try {
    const result = analyzeClock(times, others);
    return { result, ticks: times.length, computeMs: performance.now() - startedAt };
  } catch (error) {
    if (!(error instanceof RangeError)) throw error;
    return { result: null, ticks: times.length, problem: error.message };
  }
}

/** Chunk by chunk, each written before the next; if one fails, none is kept. */
async function keepSound(takeId: string, channels: Float32Array[], chunkFrames: number): Promise<void> {
  const frames = channels[0]?.length ?? 0;
  try {
    for (let index = 0; index * chunkFrames < frames; index++) {
      const from = index * chunkFrames;
      const chunk = channels.map((channel) => channel.slice(from, from + chunkFrames));
      await database.sound.add({ takeId, index, channels: chunk });
    }
  } catch (error) {
    await deleteTake(takeId);
    throw new Error(
      'Browser storage is full. The recording was measured but couldn’t be saved. Free some space under Storage in Logbook.',
      {
        cause: error,
      },
    );
  }
}

let lastChannel: { key: string; samples: Promise<Float32Array> } | null = null;

/** A take's audio by channel: a long take doesn't fit in memory. The last channel is cached. */
function channelsOf(takeId: string): LoadChannel {
  return (channel) => {
    const key = `${takeId} ${channel}`;
    if (lastChannel?.key !== key) {
      // Free the previous one first, so that there are never two.
      lastChannel = null;
      lastChannel = { key, samples: loadChannel(takeId, channel) };
    }
    return lastChannel.samples;
  };
}

let lastLengths: { takeId: string; lengths: Promise<number[]> } | null = null;

/** Reads only the chunks it needs. */
async function excerptOf(takeId: string, channel: number, from: number, to: number): Promise<Float32Array> {
  if (lastLengths?.takeId !== takeId) lastLengths = { takeId, lengths: pieceLengths(takeId) };
  const starts = [0];
  for (const length of await lastLengths.lengths) starts.push((starts.at(-1) ?? 0) + length);
  const first = Math.max(
    0,
    starts.findLastIndex((start) => start <= from),
  );
  const end = starts.findIndex((start) => start >= to);
  const samples = await loadPieces(takeId, channel, first, end < 0 ? starts.length : end);
  const zero = from - (starts[first] ?? 0);
  const stretch = new Float32Array(Math.max(0, to - from));
  stretch.set(samples.subarray(Math.max(0, zero), Math.max(0, zero + stretch.length)), Math.max(0, -zero));
  return stretch;
}

function openedFile() {
  if (!file) throw new Error('No recording is open. Drop a WAV file first.');
  return file;
}

function receive(message: ToMeasure): void {
  const { channels, sampleRate, startFrame } = message;
  const startMs = message.startMs ?? (frameZeroMs === null ? null : frameZeroMs + (startFrame / sampleRate) * 1000);
  if (startMs === null) return;
  recorder?.push(channels, sampleRate, startFrame, startMs, message.counted ?? false);
  watch ??= new ReturnWatch({ sampleRate, channels: channels.length, referenceChannel: reference.clickChannel });
  const beganMs = performance.now();
  if (!watch.push(channels, startMs)) return;
  watch.lookTook(performance.now() - beganMs);
  const endMs = startMs + ((channels[0]?.length ?? 0) / sampleRate) * 1000;
  tellLive?.({ readings: watch.readings(reference.bpm), beat: watch.latestBeat(), endMs });
}

Comlink.expose(api);
