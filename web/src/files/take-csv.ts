import Papa from 'papaparse';
import { reportLatency, matchOnsets } from '@metronomo/core';
import type { Rig, Take } from '../store/records';
import { FileError } from './text-file';
import { count } from '../words/numbers';

/** RFC 4180, one row per beat and follower. */
const COLUMNS = ['take', 'started', 'gear', 'beat', 'due_ms', 'late_ms', 'offset_ms'] as const;
const MAX_TEXT = 32_000_000;
const MAX_ROWS = 200_000;
const MAX_GEAR = 64;
const LONGEST_NAME = 60;

/**
 * Every beat of the takes: due time in ms within its take, and lateness; empty if no hit was detected. Names a
 * spreadsheet could read as a formula are prefixed with an apostrophe.
 */
export function writeTakeCsv(takes: readonly Take[]): string {
  const rows = takes.flatMap((take) =>
    take.lines.flatMap(({ name, offsetMs, pulsesMs, landings }) => {
      const late = new Map(landings.map(({ pulse, lateMs }) => [pulse, lateMs]));
      const started = new Date(take.startedAt).toISOString();
      return pulsesMs.map((dueMs, beat) => [take.id, started, name, beat, dueMs, late.get(beat) ?? '', offsetMs]);
    }),
  );
  return Papa.unparse({ fields: [...COLUMNS], data: rows }, { newline: '\r\n', escapeFormulae: true });
}

/**
 * A take from a CSV of beats, exported or hand-made; requires the columns gear, due_ms and late_ms. Only its first take
 * is read.
 * @throws FileError that names the row, counted from 1, and the column.
 */
export function readTakeCsv(text: string, rig: Rig, fileName: string): Take {
  if (text.length > MAX_TEXT) throw new FileError('This CSV file is too large. The limit is 32 MB.');
  // Checked before any row is parsed, because parsing is slow.
  if (text.split('\n', MAX_ROWS + 3).length > MAX_ROWS + 2)
    throw new FileError(
      `This CSV file has more than ${count(MAX_ROWS, 'row')}, which is the limit. Split it and import the parts.`,
    );
  const { data, meta, errors } = Papa.parse<Record<string, string>>(text, {
    header: true,
    skipEmptyLines: true,
  });
  for (const column of ['gear', 'due_ms', 'late_ms'])
    if (!meta.fields?.includes(column))
      throw new FileError(`This CSV file has no “${column}” column. It needs gear, due_ms and late_ms.`);
  const [broken] = errors;
  if (broken) throw new FileError(`Row ${(broken.row ?? 0) + 2}: ${broken.message}.`);
  if (data.length === 0) throw new FileError('This CSV file has no rows.');
  const takeId = data[0]?.['take'];
  const beats = new Map<string, { due: number[]; heard: number[]; offsetMs: number }>();
  data.forEach((row, i) => {
    if (row['take'] !== takeId) return;
    const name = (row['gear'] ?? '')
      .replace(/^'(?=[=+\-@\t\r])/, '')
      .trim()
      .slice(0, LONGEST_NAME);
    if (!name) throw new FileError(`Row ${i + 2}: “gear” is empty.`);
    const one = beats.get(name) ?? { due: [], heard: [], offsetMs: 0 };
    beats.set(name, one);
    if (beats.size > MAX_GEAR)
      throw new FileError(`Row ${i + 2}: more than ${count(MAX_GEAR, 'device')}. Split the file.`);
    const dueMs = numberAt(row, 'due_ms', i);
    one.due.push(dueMs);
    if (row['late_ms'] !== '') one.heard.push(dueMs + numberAt(row, 'late_ms', i));
    if (row['offset_ms']) one.offsetMs = numberAt(row, 'offset_ms', i);
  });
  const started = Date.parse(data[0]?.['started'] ?? '');
  return {
    id: crypto.randomUUID(),
    rigId: rig.id,
    kind: 'recording',
    gearIds: rig.gear.filter(({ name }) => beats.has(name)).map(({ id }) => id),
    startedAt: Number.isFinite(started) && started >= 0 ? started : Date.now(),
    source: 'recording',
    proof: false,
    status: 'done',
    sampleRate: 0,
    frames: 0,
    bpm: null,
    drive: null,
    input: fileName.slice(0, 120),
    beats: { clickChannel: 0 },
    lines: [...beats].map(([name, { due, heard, offsetMs }], channel) => {
      const pulsesMs = due.sort((a, b) => a - b);
      const onsetsMs = heard.sort((a, b) => a - b);
      const matching = matchOnsets(pulsesMs, onsetsMs);
      return {
        gearId: rig.gear.find((gear) => gear.name === name)?.id ?? null,
        name,
        channel,
        offsetMs,
        report: reportLatency(matching),
        landings: matching.landings,
        pulsesMs,
        onsetsMs,
      };
    }),
  };
}

function numberAt(row: Record<string, string>, column: string, index: number): number {
  const text = row[column] ?? '';
  const value = Number(text);
  if (text.trim() === '' || !Number.isFinite(value))
    throw new FileError(`Row ${index + 2}: “${column}” must be a number, not “${text.slice(0, 40)}”.`);
  return value;
}
