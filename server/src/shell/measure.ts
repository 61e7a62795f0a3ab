import {
  analyzeRecording,
  beatTimes,
  cutClicks,
  detectOnsets,
  fitTempo,
  MidiFileError,
  readTempoFile,
  readWav,
  RecordingError,
  TempoMap,
  WavError,
  type BeatReference,
  type Beside,
  type RecordingAnalysis,
  type TakeFinding,
} from '@metronomo/core';
import { array, number, object, ValidationError } from 'yup';

/** The recording or an option can't be used: a sentence that says why. */
export class InputError extends Error {
  override readonly name = 'InputError';
}

/** Channels count from 1, as on a recorder. */
export interface MeasureOptions {
  click?: number | undefined;
  gear?: number[] | undefined;
  bpm?: number | undefined;
  /** A MIDI file with the tempo of the song. */
  tempoMap?: Uint8Array | undefined;
  /** Time of the first beat, seconds. */
  firstBeat: number;
}

export interface MeasuredChannel {
  channel: number;
  reliable: boolean;
  /** Null if nothing could be measured. */
  lateMs: number | null;
  ci95Ms: [number, number] | null;
  spreadMs: number | null;
  /** Of the hits, and how many there are a beat. */
  bpm: number | null;
  hitsPerBeat: number;
  heard: number;
  missed: number;
  extra: number;
  bleedDb?: number;
  /** Of the loudest other device. */
  besideDb?: number;
  findings: TakeFinding[];
  reason?: string;
  warning?: string;
}

const LAST_CHANNEL = 64;
const channel = number().integer().min(1).max(LAST_CHANNEL);
const schema = object({
  click: channel,
  gear: array(channel.required()).max(LAST_CHANNEL),
  bpm: number().min(10).max(600),
  firstBeat: number().min(0).max(86_400).required(),
});

/**
 * Measures every device in a WAV recording, with the code of the Bench. The beats are those of the click's channel, a
 * tempo or a tempo map; without any, the first channel is the click.
 * @throws InputError if the file or an option can't be used.
 */
export function measureFile(bytes: Uint8Array, options: MeasureOptions): MeasuredChannel[] {
  try {
    schema.validateSync(options, { strict: true });
    const { channels, sampleRate } = readWav(bytes);
    const { click, gear, beats } = sourcesOf(channels, sampleRate, options);
    const chosen = gear ?? channels.map((_, i) => i + 1).filter((one) => one !== click);
    if (chosen.length === 0) throw new InputError('There is no device channel beside the click.');
    const devices = chosen.map((one) => besideOf(channelOf(channels, one), sampleRate));
    return chosen.map((one, i) => {
      const beside = devices.filter((_, other) => other !== i);
      return measureChannel(one, channelOf(channels, one), sampleRate, beats, beside);
    });
  } catch (error) {
    if (error instanceof ValidationError || error instanceof WavError || error instanceof MidiFileError)
      throw new InputError(error.message);
    throw error;
  }
}

function sourcesOf(channels: readonly Float32Array[], sampleRate: number, options: MeasureOptions) {
  const { bpm, tempoMap, firstBeat, gear } = options;
  const firstBeatMs = 1000 * firstBeat;
  const click = options.click ?? (bpm === undefined && !tempoMap ? 1 : undefined);
  if (click !== undefined) {
    if (channels.length < 2)
      throw new InputError(
        'Only one channel: there is no click to measure against. Give --bpm or --tempo-map instead.',
      );
    return { click, gear, beats: { click: channelOf(channels, click) } };
  }
  const lengthMs = ((channels[0]?.length ?? 0) / sampleRate) * 1000;
  const beats: BeatReference = tempoMap
    ? { pulsesMs: beatTimes(new TempoMap(readTempoFile(tempoMap)), { firstBeatMs, lengthMs }) }
    : { bpm: bpm as number, firstBeatMs };
  return { click, gear, beats };
}

function channelOf(channels: readonly Float32Array[], one: number): Float32Array {
  const samples = channels[one - 1];
  if (!samples) throw new InputError(`There is no channel ${one}: the recording has ${channels.length}.`);
  return samples;
}

/** A device, which may bleed into the channels of others. */
function besideOf(samples: Float32Array, sampleRate: number): Beside {
  const onsetsMs = detectOnsets(samples, sampleRate).map(({ timeMs }) => timeMs);
  return { samples, hits: cutClicks(samples, sampleRate, onsetsMs) };
}

function measureChannel(
  channel: number,
  samples: Float32Array,
  sampleRate: number,
  beats: BeatReference,
  beside: readonly Beside[],
): MeasuredChannel {
  try {
    return channelFrom(channel, analyzeRecording(samples, sampleRate, beats, beside));
  } catch (error) {
    if (!(error instanceof RecordingError)) throw error;
    // Without a click, no channel can be measured.
    if (error.problem === 'noClick' || error.problem === 'silentReference') throw new InputError(error.message);
    const nothing = { reliable: false, lateMs: null, ci95Ms: null, spreadMs: null, bpm: null, hitsPerBeat: 1 };
    return { channel, ...nothing, heard: 0, missed: 0, extra: 0, findings: [], reason: error.message };
  }
}

function channelFrom(channel: number, { report, onsetsMs, warning }: RecordingAnalysis): MeasuredChannel {
  const { medianMs, ci95Ms, spreadMs, matched, missed, extra, believable, findings, bleedDb, besideDb, reason } =
    report;
  const pattern = findings.find(({ kind }) => kind === 'double' || kind === 'half');
  const hitsPerBeat = pattern && 'hitsPerBeat' in pattern ? pattern.hitsPerBeat : 1;
  const other = findings.find(({ kind }) => kind === 'otherTempo');
  const steps = fitTempo(onsetsMs);
  return {
    channel,
    reliable: believable,
    // No number that looks like a result.
    lateMs: believable ? medianMs : null,
    ci95Ms: believable ? ci95Ms : null,
    spreadMs: believable ? spreadMs : null,
    bpm: other && 'bpm' in other ? other.bpm : steps === null ? null : steps / hitsPerBeat,
    hitsPerBeat,
    heard: matched,
    missed,
    extra,
    ...(bleedDb !== undefined && { bleedDb }),
    ...(besideDb !== undefined && { besideDb }),
    findings,
    ...(reason !== undefined && { reason }),
    ...(warning !== undefined && { warning }),
  };
}

const STEPS: Readonly<Record<number, string>> = {
  0.25: 'one hit a bar',
  0.5: 'half notes',
  1: 'quarter notes',
  2: 'eighths',
  3: 'triplets',
  4: 'sixteenths',
};

/** A channel in a few lines for the terminal. */
export function wordsFor(one: MeasuredChannel): string {
  const { channel, lateMs, ci95Ms, spreadMs, bpm, hitsPerBeat, heard, missed, extra, bleedDb, besideDb } = one;
  const lines = [
    lateMs === null || ci95Ms === null || spreadMs === null
      ? `Channel ${channel}: not reliable. ${one.reason ?? ''}`
      : `Channel ${channel}: ${Math.abs(lateMs).toFixed(2)} ms ${lateMs < 0 ? 'early' : 'late'} (95% interval ${ci95Ms
          .map((ms) => ms.toFixed(2))
          .join(' to ')}, jitter ${spreadMs.toFixed(2)} ms)`,
    `  ${heard} heard, ${missed} missed, ${extra} extra${
      bpm === null ? '' : `; ${bpm.toFixed(2)} BPM, ${STEPS[hitsPerBeat] ?? 'a pattern of its own'}`
    }`,
  ];
  if (bleedDb !== undefined) lines.push(`  The click bleeds in at ${bleedDb.toFixed(0)} dB and was removed.`);
  if (besideDb !== undefined) lines.push(`  Another device bleeds in at ${besideDb.toFixed(0)} dB and was removed.`);
  if (one.warning !== undefined) lines.push(`  ${one.warning}`);
  for (const { kind, ...figures } of one.findings)
    lines.push(
      `  Finding: ${[kind, ...Object.entries(figures).map(([name, value]) => `${name} ${rounded(value)}`)].join(', ')}`,
    );
  return lines.join('\n');
}

const rounded = (value: unknown) => (typeof value === 'number' ? Math.round(100 * value) / 100 : String(value));
