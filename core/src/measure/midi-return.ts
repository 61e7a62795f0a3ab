import { median } from 'd3-array';
import { fitLine } from '../maths/fit-line';
import { TICKS_PER_BEAT, type MidiMessage } from '../midi/message';
import { framesToSeconds } from '../timecode/code-position';
import { CodeReader, type CodeAt } from '../timecode/code-reader';
import type { FrameRate } from '../timecode/timecode';
import type { RecordingReport } from './analyze-recording';
import { explainHits, trendOf } from './findings';
import { matchOnsets, type Landing } from './match-onsets';
import { reportLatency } from './measure-latency';

const { abs, ceil, max, round } = Math;

/** A message from an input port, and when it arrived, ms. */
export interface Arrival {
  readonly message: MidiMessage;
  readonly atMs: number;
}

/** What the hub played meanwhile, at one tempo. Times in ms on the time line of the arrivals. */
export interface HubStretch {
  readonly fromMs: number;
  readonly toMs: number;
  /** A beat of the hub, and its place in the song. */
  readonly beatMs: number;
  readonly songMs: number;
  readonly bpm: number;
  /** Timecode at the start of the song, in seconds since midnight. */
  readonly codeSeconds: number;
  readonly rate: FrameRate;
}

/** One kind of message that came back, measured against the hub's own beats, ticks or timecode. */
export interface MidiStream {
  readonly what: { kind: 'clock' } | { kind: 'note'; channel: number; note: number } | { kind: 'timecode' };
  readonly pulsesMs: number[];
  readonly onsetsMs: number[];
  readonly landings: Landing[];
  readonly report: RecordingReport;
}

/** Fewer are stray messages. */
const FEWEST_NOTES = 4;
const FEWEST_TICKS = 48;
const FEWEST_CODES = 4;
/** More streams than this are a performance, not a test pattern. */
const MOST_NOTES = 16;
/** Drift over the stretch by which a clock counts as another's, in ticks. */
const OWN_TEMPO_TICKS = 0.5;
/** A device this far from the hub's timecode isn't late, but at another place. */
const ELSEWHERE_MS = 1000;
const DAY_MS = 86_400_000;

/**
 * How late MIDI comes back: clock against the hub's ticks, notes against its beats, and quarter frames against its
 * timecode. By time stamps alone, without any sound. A clock's ticks are all alike, so its lateness is known modulo one
 * tick: from a quarter of a tick early to three quarters late.
 */
export function midiStreams(arrivals: readonly Arrival[], stretch: HubStretch): MidiStream[] {
  const inside = arrivals.filter(({ atMs }) => atMs >= stretch.fromMs && atMs < stretch.toMs);
  const ticks = inside.flatMap(({ message, atMs }) => (message.kind === 'clock' ? [atMs] : []));
  const codes = codesIn(inside);
  return [
    ...(ticks.length >= FEWEST_TICKS ? [clockStream(ticks, stretch)] : []),
    ...(codes.length >= FEWEST_CODES ? [codeStream(codes, stretch)] : []),
    ...noteStreams(inside, stretch),
  ];
}

function gridOf({ fromMs, toMs, beatMs, bpm }: HubStretch, parts: number): number[] {
  const stepMs = 60_000 / bpm / parts;
  const first = ceil((fromMs - beatMs) / stepMs);
  const last = ceil((toMs - beatMs) / stepMs);
  return Array.from({ length: max(0, last - first) }, (_, i) => beatMs + (first + i) * stepMs);
}

function clockStream(onsetsMs: number[], stretch: HubStretch): MidiStream {
  const pulsesMs = gridOf(stretch, TICKS_PER_BEAT);
  const tickMs = 60_000 / stretch.bpm / TICKS_PER_BEAT;
  const { slope } = fitLine(
    onsetsMs.map((_, i) => i),
    onsetsMs,
  );
  const what = { kind: 'clock' } as const;
  const steps = (onsetsMs.at(-1) as number) - (onsetsMs[0] as number);
  // Lost ticks make it look slower: the usual distance between two ticks settles that.
  const usualMs = median(onsetsMs.slice(1), (ms, i) => ms - (onsetsMs[i] as number)) ?? tickMs;
  const stepMs = abs(slope / usualMs - 1) < 0.02 ? slope : usualMs;
  if (abs(stepMs / tickMs - 1) * (steps / tickMs) > OWN_TEMPO_TICKS) {
    const [bpm, expectedBpm] = [60_000 / stepMs / TICKS_PER_BEAT, stretch.bpm];
    const report = reportLatency({ landings: [], missed: pulsesMs.length, extra: onsetsMs.length });
    return {
      ...{ what, pulsesMs, onsetsMs, landings: [] },
      report: {
        ...report,
        findings: [{ kind: 'otherTempo', bpm, expectedBpm }],
        reason: `Its clock runs at ${bpm.toFixed(2)} BPM, not ${expectedBpm.toFixed(2)}: it sends its own tempo. Set its clock source to external.`,
      },
    };
  }
  const matching = matchOnsets(pulsesMs, onsetsMs);
  const trend = trendOf(pulsesMs, matching.landings, tickMs);
  const told = trend?.finding.kind === 'drift' || trend?.finding.kind === 'jump' ? trend.finding : null;
  const reason = told?.kind === 'jump' ? `It jumped by ${abs(told.ms).toFixed(1)} ms. Measure again.` : trend?.reason;
  return {
    ...{ what, pulsesMs, onsetsMs, landings: matching.landings },
    report: {
      ...reportLatency(matching),
      ...(told && { believable: false, ...(reason !== undefined && { reason }) }),
      findings: told ? [told] : [],
    },
  };
}

/** The notes that came back often enough, the most frequent first. */
export function notesIn(arrivals: readonly Arrival[]): { channel: number; note: number; onsetsMs: number[] }[] {
  const byNote = new Map<string, { channel: number; note: number; onsetsMs: number[] }>();
  for (const { message, atMs } of arrivals) {
    if (message.kind !== 'noteOn' || message.velocity === 0) continue;
    const { channel, note } = message;
    const key = `${channel} ${note}`;
    const known = byNote.get(key) ?? { channel, note, onsetsMs: [] };
    known.onsetsMs.push(atMs);
    byNote.set(key, known);
  }
  return [...byNote.values()]
    .filter(({ onsetsMs }) => onsetsMs.length >= FEWEST_NOTES)
    .sort((a, b) => b.onsetsMs.length - a.onsetsMs.length)
    .slice(0, MOST_NOTES);
}

function noteStreams(arrivals: readonly Arrival[], stretch: HubStretch): MidiStream[] {
  const pulsesMs = gridOf(stretch, 1);
  return notesIn(arrivals).map(({ channel, note, onsetsMs }) => {
    const { matching, findings, reason } = explainHits(pulsesMs, onsetsMs);
    return {
      ...{ what: { kind: 'note', channel, note } as const, pulsesMs, onsetsMs, landings: matching.landings },
      report: {
        ...reportLatency(matching),
        ...(reason !== undefined && { believable: false, reason }),
        findings,
      },
    };
  });
}

function codesIn(arrivals: readonly Arrival[]): CodeAt[] {
  const reader = new CodeReader();
  return arrivals.flatMap(({ message, atMs }) =>
    message.kind === 'quarterFrame' ? (reader.push(message, atMs) ?? []) : [],
  );
}

function codeStream(codes: readonly CodeAt[], stretch: HubStretch): MidiStream {
  const { beatMs, songMs, codeSeconds, rate } = stretch;
  const onsetsMs = codes.map(({ atMs }) => atMs);
  const pulsesMs = codes.map(({ atMs, seconds }) => {
    const dueMs = beatMs + 1000 * (seconds - codeSeconds) - songMs;
    // Timecode begins anew at midnight.
    return dueMs + DAY_MS * round((atMs - dueMs) / DAY_MS);
  });
  const landings = codes.map(({ atMs }, pulse) => ({ pulse, lateMs: atMs - (pulsesMs[pulse] as number) }));
  const expected = (stretch.toMs - stretch.fromMs) / (2000 * framesToSeconds(1, rate));
  const missed = max(0, ceil(expected) - 1 - codes.length);
  const report = reportLatency({ landings, missed, extra: 0 });
  const other = codes.find((code) => code.rate !== rate);
  const reason = other
    ? `It sends timecode at ${other.rate} frames per second, the song is at ${rate}. Set both to the same rate.`
    : abs(report.medianMs) > ELSEWHERE_MS
      ? `Its timecode is ${abs(report.medianMs / 1000).toFixed(1)} s ${report.medianMs > 0 ? 'behind' : 'ahead of'} the hub’s. Check the start time on both.`
      : undefined;
  return {
    ...{ what: { kind: 'timecode' } as const, pulsesMs, onsetsMs, landings },
    report: {
      ...report,
      ...(reason !== undefined && { believable: false, reason }),
      findings: [],
    },
  };
}
