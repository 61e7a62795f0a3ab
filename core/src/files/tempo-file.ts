import type { MeterPoint } from '../tempo/meter-map';
import { MeterMap } from '../tempo/meter-map';
import type { Section } from '../tempo/song';
import { songMaps } from '../tempo/song';
import { TempoMap, type TempoPoint } from '../tempo/tempo-map';
import { decoded, utf8 } from '../midi/text-bytes';
import { MidiFileError, readSmf, writeSmf, writeTracks, type MetaEvent } from './smf';

const TRACK_NAME = 0x03;
const MARKER = 0x06;
const SET_TEMPO = 0x51;
const TIME_SIGNATURE = 0x58;
const TICKS_PER_BEAT = 960;
const MAX_MICROSECONDS = 0xffffff;
/** Maximum error of a ramp's steps; the rest of the millisecond is for rounding the tempo. */
const RAMP_ERROR_MS = 0.5;

/**
 * A tempo map as a Standard MIDI File of format 0 (RP-001: FF 51 03, microseconds per quarter). Ramps become steps
 * within 1 ms of the ramp at every beat; the rounding error of one step is carried into the next.
 * @throws RangeError if a tempo is below 3.58 BPM.
 */
export function writeTempoFile(
  map: readonly TempoPoint[],
  options: { ticksPerBeat?: number; name?: string } = {},
): Uint8Array {
  const { ticksPerBeat = TICKS_PER_BEAT, name } = options;
  if (!(Number.isInteger(ticksPerBeat) && ticksPerBeat >= 1 && ticksPerBeat <= 0x7fff))
    throw new RangeError(`Ticks per quarter note must be 1 to 32,767, not ${ticksPerBeat}.`);
  const meta = tempoEvents(map, ticksPerBeat);
  if (name) meta.unshift({ tick: 0, type: TRACK_NAME, data: utf8(name) });
  return writeSmf({ ticksPerBeat, meta });
}

/**
 * A file without a tempo runs at 120 BPM, as the standard says.
 * @throws MidiFileError that names the byte.
 */
export function readTempoFile(bytes: Uint8Array): TempoPoint[] {
  const { ticksPerBeat, meta } = readSmf(bytes);
  return tempoPoints(meta, ticksPerBeat);
}

/** A song with its sections: tempo, time signatures, and a marker at the start of each. */
export function writeSongFile(sections: readonly Section[], name: string): Uint8Array {
  const title = { tick: 0, type: TRACK_NAME, data: utf8(name) };
  return writeSmf({ ticksPerBeat: TICKS_PER_BEAT, meta: [title, ...songEvents(sections)] });
}

/** A message that was played, and where in the song, in quarter notes. */
export interface PlayedMessage {
  beat: number;
  bytes: Uint8Array;
  /** What it came from; one track each. */
  track: string;
}

/**
 * What was played, with the bars and the tempo of the song, so that it lines up wherever the file is opened: one track
 * for each thing played. What was played in the count-in is at the start.
 */
export function writeNotesFile(sections: readonly Section[], played: readonly PlayedMessage[]): Uint8Array {
  const names = [...new Set(played.map(({ track }) => track))];
  const tracks = names.map((name) => ({
    name: utf8(name),
    messages: played
      .filter(({ track }) => track === name)
      .map(({ beat, bytes }) => ({ tick: Math.max(0, Math.round(beat * TICKS_PER_BEAT)), bytes }))
      .sort((a, b) => a.tick - b.tick),
  }));
  return writeTracks(TICKS_PER_BEAT, songEvents(sections), tracks);
}

/** Tempo, time signatures and section markers of a song. */
function songEvents(sections: readonly Section[]): MetaEvent[] {
  const { tempo, meter, beginsAt } = songMaps(sections);
  const bars = new MeterMap(meter);
  const tickOf = (beat: number) => Math.round(beat * TICKS_PER_BEAT);
  const signatures = meter.map(({ bar, beatsPerBar, beatUnit }) => ({
    tick: tickOf(bars.beatAt({ bar, beat: 1, ticks: 0 })),
    type: TIME_SIGNATURE,
    // 24 clocks per quarter, 8 thirty-seconds per quarter.
    data: Uint8Array.of(beatsPerBar, Math.log2(beatUnit), 24, 8),
  }));
  const markers = sections.map((section, i) => ({
    tick: tickOf(beginsAt[i] ?? 0),
    type: MARKER,
    data: utf8(section.name),
  }));
  return [...signatures, ...markers, ...tempoEvents(tempo, TICKS_PER_BEAT)].sort((a, b) => a.tick - b.tick);
}

/**
 * Sections from a file: a new one at each marker, tempo or time signature; changes within a bar apply from the next
 * bar.
 * @throws MidiFileError that names the byte, or what makes it unusable as a song.
 */
export function readSongFile(bytes: Uint8Array): { name: string; sections: Section[] } {
  const { ticksPerBeat, meta } = readSmf(bytes);
  const tempo = new TempoMap(tempoPoints(meta, ticksPerBeat));
  const meter = new MeterMap(meterPoints(meta, ticksPerBeat));
  const barOf = (beat: number) => meter.positionAt(meter.nextBar(beat - 1e-3)).bar;
  const names = new Map<number, string>();
  for (const { tick, type, data } of meta)
    if (type === MARKER) names.set(barOf(tick / ticksPerBeat), decoded(data) || 'Section');
  const changes = [
    ...tempo.points.map(({ beat }) => barOf(beat)),
    ...meter.points.map(({ bar }) => bar),
    ...names.keys(),
  ];
  const bars = [...new Set([1, ...changes])].filter((bar) => bar >= 1).sort((a, b) => a - b);
  if (bars.length > 500)
    throw new MidiFileError(
      'This file has more than 500 tempo, meter and marker changes. A song can have at most 500 sections.',
    );
  const title = meta.find(({ type }) => type === TRACK_NAME);
  const sections = bars.map((bar, i): Section => {
    const beat = meter.beatAt({ bar, beat: 1, ticks: 0 });
    const { beatsPerBar, beatUnit } = meter.meterAt(beat);
    const length = (bars[i + 1] ?? bar + 8) - bar;
    const bpm = tempo.bpmAt(beat);
    return { name: names.get(bar) ?? `Bar ${bar}`, bars: length, bpm, toBpm: null, beatsPerBar, beatUnit };
  });
  return { name: title ? decoded(title.data) : '', sections };
}

function tempoEvents(points: readonly TempoPoint[], ticksPerBeat: number): MetaEvent[] {
  const map = new TempoMap(points);
  const steps = points.flatMap((point, i) => stepsOf(point, points[i + 1], ticksPerBeat));
  let writtenMs = 0;
  return steps.map(({ tick, bpm }, i) => {
    const next = steps[i + 1];
    const beats = next ? (next.tick - tick) / ticksPerBeat : 0;
    const wantedMs = next ? map.msAt(next.tick / ticksPerBeat) - map.msAt((steps[0]?.tick ?? 0) / ticksPerBeat) : 0;
    const exact =
      next && beats > 0 && isInRamp(points, tick / ticksPerBeat) ? ((wantedMs - writtenMs) * 1000) / beats : 60e6 / bpm;
    const microseconds = Math.round(exact);
    if (!(microseconds >= 1 && microseconds <= MAX_MICROSECONDS))
      throw new RangeError(`A MIDI file can’t store ${bpm} BPM. The slowest tempo is 3.58 BPM.`);
    writtenMs += (beats * microseconds) / 1000;
    return {
      tick,
      type: SET_TEMPO,
      data: Uint8Array.of(microseconds >> 16, (microseconds >> 8) & 0xff, microseconds & 0xff),
    };
  });
}

function isInRamp(points: readonly TempoPoint[], beat: number): boolean {
  const at = points.findLastIndex((point) => point.beat <= beat + 1e-4);
  return points[at]?.curve === 'linear' && at < points.length - 1;
}

/**
 * Start of each step of a ramp. For a step of h beats in a ramp of s BPM per beat at v BPM, the time error is at most
 * 60,000 s h^2 / (8 v^2) ms.
 */
function stepsOf(
  point: TempoPoint,
  next: TempoPoint | undefined,
  ticksPerBeat: number,
): { tick: number; bpm: number }[] {
  const tick = Math.max(0, Math.round(point.beat * ticksPerBeat));
  if (point.curve !== 'linear' || !next || next.bpm === point.bpm) return [{ tick, bpm: point.bpm }];
  const endTick = Math.round(next.beat * ticksPerBeat);
  const beats = next.beat - point.beat;
  const slope = (next.bpm - point.bpm) / beats;
  const slowest = Math.min(point.bpm, next.bpm);
  const stepBeats = slowest * Math.sqrt((8 * RAMP_ERROR_MS) / (60_000 * Math.abs(slope)));
  const count = Math.max(1, Math.ceil(beats / stepBeats));
  const ticks = Array.from({ length: count }, (_, i) => tick + Math.round(((endTick - tick) * i) / count));
  return [...new Set(ticks)].map((at) => ({ tick: at, bpm: point.bpm + slope * (at / ticksPerBeat - point.beat) }));
}

export function tempoPoints(meta: readonly MetaEvent[], ticksPerBeat: number): TempoPoint[] {
  const points = new Map<number, number>();
  for (const { tick, type, data } of meta) {
    if (type !== SET_TEMPO) continue;
    const [high = 0, middle = 0, low = 0] = data;
    const microseconds = (high << 16) | (middle << 8) | low;
    if (data.length !== 3 || microseconds === 0)
      throw new MidiFileError(
        `Invalid tempo at tick ${tick}: ${data.length} bytes, ${microseconds} µs per quarter note.`,
      );
    points.set(tick / ticksPerBeat, plainBpm(microseconds));
  }
  if (!points.has(0)) points.set(0, points.size === 0 ? 120 : (points.get(Math.min(...points.keys())) ?? 120));
  return [...points].sort(([a], [b]) => a - b).map(([beat, bpm]) => ({ beat, bpm }));
}

/** The tempo with the fewest decimals that is stored as this many microseconds: 756,620 is 79.3 BPM. */
function plainBpm(microseconds: number): number {
  const exact = 60e6 / microseconds;
  for (let digits = 0; digits <= 4; digits++) {
    const plain = Number(exact.toFixed(digits));
    if (Math.round(60e6 / plain) === microseconds) return plain;
  }
  return exact;
}

function meterPoints(meta: readonly MetaEvent[], ticksPerBeat: number): MeterPoint[] {
  const points: MeterPoint[] = [{ bar: 1, beatsPerBar: 4, beatUnit: 4 }];
  let fromTick = 0;
  for (const { tick, type, data } of meta) {
    if (type !== TIME_SIGNATURE) continue;
    const [beatsPerBar = 0, power = 0] = data;
    if (beatsPerBar < 1 || beatsPerBar > 64 || power > 5)
      throw new MidiFileError(`Unsupported time signature ${beatsPerBar}/${2 ** power} at tick ${tick}.`);
    const last = points.at(-1) as MeterPoint;
    const barTicks = (ticksPerBeat * 4 * last.beatsPerBar) / last.beatUnit;
    const bar = last.bar + Math.round((tick - fromTick) / barTicks);
    const point = { bar, beatsPerBar, beatUnit: 2 ** power };
    if (bar === last.bar) points.pop();
    points.push(point);
    fromTick = tick;
  }
  return points;
}
