import { execFile } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { promisify } from 'node:util';
import { writeMidi, type MidiEvent } from 'midi-file';
import { seededRandom } from '../core/src/standin/random';

const RATE = 48_000;
const FONT = '/usr/share/sounds/sf2/FluidR3_GM.sf2';
const TICKS_PER_BEAT = 9600;
const BEATS = 24;
const DRUMS = 9;
/** A sound begins where it first comes within 50 dB of its peak; a soft one, somewhere between 60 and 40 dB. */
const [EARLIEST, BEGINS, LATEST] = [-60, -50, -40].map((db) => 10 ** (db / 20)) as [number, number, number];
const LEVEL = 0.5;

/** By name: channel, program (General MIDI Level 1, from 0) and notes. */
const INSTRUMENTS: Record<string, readonly [channel: number, program: number, notes: readonly number[]]> = {
  kick: [DRUMS, 0, [36]],
  snare: [DRUMS, 0, [38]],
  rimshot: [DRUMS, 0, [37]],
  'closed hat': [DRUMS, 0, [42]],
  clap: [DRUMS, 0, [39]],
  tom: [DRUMS, 0, [45]],
  cowbell: [DRUMS, 0, [56]],
  'low piano': [0, 0, [36]],
  piano: [0, 0, [60]],
  'piano chord': [0, 0, [48, 60, 64, 67]],
  'electric piano': [0, 4, [60]],
  glockenspiel: [0, 9, [84]],
  vibraphone: [0, 11, [60]],
  marimba: [0, 12, [60]],
  organ: [0, 16, [60]],
  'nylon guitar': [0, 24, [52]],
  'steel guitar': [0, 25, [52]],
  'muted guitar': [0, 28, [45]],
  'fingered bass': [0, 33, [33]],
  'picked bass': [0, 34, [33]],
  'slap bass': [0, 36, [33]],
  'synth bass': [0, 38, [33]],
  pizzicato: [0, 45, [60]],
  'saw lead': [0, 81, [60]],
  trumpet: [0, 56, [60]],
};

/** An instrument of the sound font on every beat; the first beat comes after one beat of silence. */
export interface Part {
  name: string;
  beatSamples: number;
  samples: Float32Array;
  /** From the beat to the beginning of the sound, samples; and where that may be. */
  beginsAt: number;
  mayBegin: [from: number, to: number];
  peak: number;
}

/** Every instrument at a tempo whose beat is a whole number of 64-sample blocks, in which the synthesizer starts notes. */
export async function renderInstruments(beatSamples: number): Promise<Part[]> {
  const folder = mkdtempSync(join(tmpdir(), 'metronomo-sound-font-'));
  try {
    const parts: Part[] = [];
    for (const name of Object.keys(INSTRUMENTS)) parts.push(await render(folder, name, beatSamples));
    return parts;
  } finally {
    rmSync(folder, { recursive: true });
  }
}

async function render(folder: string, name: string, beatSamples: number): Promise<Part> {
  const [channel, programNumber, notes] = INSTRUMENTS[name] ?? [0, 0, []];
  const microsecondsPerBeat = Math.round((beatSamples / RATE) * 1e6);
  const track: MidiEvent[] = [{ deltaTime: 0, type: 'setTempo', microsecondsPerBeat }];
  if (channel !== DRUMS) track.push({ deltaTime: 0, type: 'programChange', channel, programNumber });
  const half = TICKS_PER_BEAT / 2;
  for (let beat = 0; beat < BEATS; beat++) {
    // A little after the block's edge, so that rounding can't put it into the block before.
    const wait = beat === 0 ? TICKS_PER_BEAT + 10 : half;
    notes.forEach((noteNumber, i) =>
      track.push({ deltaTime: i === 0 ? wait : 0, type: 'noteOn', channel, noteNumber, velocity: 100 }),
    );
    notes.forEach((noteNumber, i) =>
      track.push({ deltaTime: i === 0 ? half : 0, type: 'noteOff', channel, noteNumber, velocity: 0 }),
    );
  }
  track.push({ deltaTime: TICKS_PER_BEAT, type: 'endOfTrack' });
  const header = { format: 0, numTracks: 1, ticksPerBeat: TICKS_PER_BEAT } as const;
  const [song, sound] = [join(folder, 'song.mid'), join(folder, 'sound.raw')];
  writeFileSync(song, Uint8Array.from(writeMidi({ header, tracks: [track] })));
  const quiet = ['-ni', '-q', '-R', '0', '-C', '0', '-g', '0.8', '-o', 'synth.dynamic-sample-loading=1'];
  const toFile = ['-F', sound, '-T', 'raw', '-O', 's16', '-r', String(RATE)];
  await promisify(execFile)('fluidsynth', [...quiet, ...toFile, FONT, song]);
  const bytes = readFileSync(sound);
  const stereo = new Int16Array(bytes.buffer, bytes.byteOffset, Math.floor(bytes.length / 2));
  const samples = Float32Array.from(
    { length: stereo.length / 2 },
    (_, i) => (stereo[2 * i]! + stereo[2 * i + 1]!) / 65536,
  );
  const peak = samples.subarray(0, 2 * beatSamples).reduce((most, sample) => Math.max(most, Math.abs(sample)), 0);
  const first = (share: number) => samples.findIndex((sample) => Math.abs(sample) >= peak * share) - beatSamples;
  return { name, beatSamples, samples, beginsAt: first(BEGINS), mayBegin: [first(EARLIEST), first(LATEST)], peak };
}

export interface Conditions {
  /** White noise on both channels, dBFS. */
  noiseDb?: number;
  /** Coupling of each channel into the other, dB. */
  bleedDb?: number;
  /** Nothing but noise and bleed in the device's channel. */
  onlyBleed?: boolean;
}

/** The click and the part on two channels, the part later by whole samples, and when it begins, or may, after the click, ms. */
export function recordingOf(part: Part, delay: number, { noiseDb = -90, bleedDb, onlyBleed = false }: Conditions) {
  const { beatSamples, samples, peak, beginsAt, mayBegin } = part;
  const length = (BEATS + 2) * beatSamples;
  const dry = new Float32Array(length);
  if (!onlyBleed) for (let i = 0; i < length; i++) dry[i] = (LEVEL / peak) * (samples[i - delay] ?? 0);
  const clicks = new Float32Array(length);
  for (let beat = 1; beat <= BEATS; beat++)
    for (let i = 0; i < RATE / 10 && beat * beatSamples + i < length; i++) {
      const t = (i + 1) / RATE;
      clicks[beat * beatSamples + i]! += LEVEL * Math.sin(2 * Math.PI * 2000 * t) * Math.exp(-t / 0.004);
    }
  const noise = 10 ** (noiseDb / 20);
  const coupled = bleedDb === undefined ? 0 : 10 ** (bleedDb / 20);
  const gear = new Float32Array(length);
  const click = new Float32Array(length);
  const hiss = whiteNoise();
  for (let i = 0; i < length; i++) {
    gear[i] = dry[i]! + coupled * clicks[i]! + noise * hiss[(i + 7919 * (delay + 1)) % hiss.length]!;
    click[i] = clicks[i]! + coupled * dry[i]! + noise * hiss[(i + 104_729 * (delay + 3)) % hiss.length]!;
  }
  const inMs = (begins: number) => ((begins + delay) / RATE) * 1000;
  const [fromMs, toMs] = mayBegin.map(inMs) as [number, number];
  return { gear, click, sampleRate: RATE, lateMs: inMs(beginsAt), fromMs, toMs };
}

let noiseMade: Float32Array | null = null;

/** A stretch of white noise, made once: every recording begins elsewhere in it. */
function whiteNoise(): Float32Array {
  const { normal } = seededRandom(0x9e3779b1);
  return (noiseMade ??= Float32Array.from({ length: 1_000_003 }, normal));
}
