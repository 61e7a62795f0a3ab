import type { ProgramReport } from '@metronomo/core';
import type { PlayedBy, Take, TakeLine } from '../store/records';
import { leaderHeard } from '../store/take-kind';
import { latenessText, signed } from './words';
import { count, decimal, whole } from '../words/numbers';

/** What made the device play on a recording. */
export const PLAYED_BY: Record<PlayedBy, string> = {
  hub: 'Hub (clock or notes)',
  notes: 'A program’s notes',
  clock: 'A program’s clock',
};

/** The kind of take. */
export function takeText({ plan, proof, source }: Take): string {
  switch (plan?.question) {
    case 'calibration':
      return 'Audio round trip';
    case 'against':
      return 'Take against the leader';
    case 'leaderSound':
      return 'Leader’s sound';
    case 'midiReturn':
      return 'Returning MIDI';
    case 'loop':
      return 'Round trip over MIDI';
    case 'chase':
      return 'Timecode chase';
    case 'starts':
    case 'startsBySound':
      return 'Repeated starts';
    case 'tempo':
      return 'Tempo change';
    case 'tempoRun':
      return 'Tempo map';
    case 'drift':
      return 'Drift';
    case 'program':
      return 'Program change';
    default:
      return proof ? 'Proof' : source === 'recording' ? 'Recording' : 'Take';
  }
}

/** The result for one follower in a few words. */
export function resultText({ plan }: Take, { report, result }: TakeLine): string {
  if (result?.question === 'chase' || result?.question === 'starts') {
    const { landsMs, failed } = result.report;
    if (!landsMs) return 'never started';
    const spread = `varies ${decimal(landsMs.spread, 1)} ms between starts`;
    return `lands ${latenessText(landsMs.median)}, ${spread}${failed > 0 ? `, ${count(failed, 'failed start')}` : ''}`;
  }
  if (result?.question === 'drift')
    return `${result.report.told ? `${signed(result.report.ppm)} ppm` : 'no measurable drift'}${againstText(plan)}`;
  if (result?.question === 'program') return programText(result.report);
  if (!report) return 'no result';
  if (!report.believable) return 'not reliable';
  if (result?.question === 'tempo') {
    const { settledMs } = result.step;
    const has = settledMs === null ? 'never settles' : `settles after ${decimal(settledMs / 1000, 1)} s`;
    return `${latenessText(report.medianMs)}, ${has}`;
  }
  if (result?.question === 'tempoRun') {
    const { changes } = result.report;
    const strays = changes.map(({ strayMs }) => Math.abs(strayMs));
    return `${count(changes.length, 'tempo change')}, strays up to ${decimal(Math.max(0, ...strays), 1)} ms`;
  }
  if (plan?.question === 'against') return `${latenessText(report.medianMs)}${againstText(plan)}`;
  if (plan?.question === 'leaderSound') return `${latenessText(report.medianMs)} against its own sync`;
  if (plan?.question === 'midiReturn') return `${latenessText(report.medianMs)}, MIDI only`;
  if (plan) return `${decimal(report.medianMs, 2)} ms`;
  return latenessText(report.medianMs);
}

/** The leader that was measured against; empty if it was the hub’s click. */
export function againstText(plan: Take['plan']): string {
  const leader = leaderHeard(plan);
  return leader === undefined ? '' : ` against ${leader}`;
}

/** How long a device needs to change its program. */
export function programText({ tooShortMs, enoughMs }: ProgramReport): string {
  if (enoughMs === null) return `needs more than ${whole(tooShortMs ?? 0)} ms`;
  return tooShortMs === null
    ? `needs less than ${whole(enoughMs)} ms`
    : `needs ${whole(tooShortMs)} to ${whole(enoughMs)} ms`;
}
