import type { Take, TakeLine } from '../store/records';
import { lateInWords, signed } from './words';

/** What kind of take it was. */
export function takeInWords({ plan, proof, source }: Take): string {
  switch (plan?.question) {
    case 'calibration':
      return 'Audio path';
    case 'loop':
      return 'MIDI there and back';
    case 'chase':
      return 'Chase';
    case 'tempo':
      return 'Change of tempo';
    case 'drift':
      return 'Drift';
    default:
      return proof ? 'Proof' : source === 'recording' ? 'Recording' : 'Take';
  }
}

/** What it came to for one follower, in a few words. */
export function resultInWords({ plan }: Take, { report, result }: TakeLine): string {
  if (result?.question === 'chase') {
    const { landsMs, failed } = result.report;
    if (!landsMs) return 'it never ran';
    const spread = `${landsMs.spread.toFixed(1)} ms from start to start`;
    return `lands ${lateInWords(landsMs.median)}, ${spread}${failed > 0 ? `, failed ${failed}×` : ''}`;
  }
  if (result?.question === 'drift')
    return result.report.told ? `${signed(result.report.ppm)} ppm` : 'no drift can be told';
  if (!report || report.matched === 0) return 'nothing measured';
  const doubt = report.believable ? '' : ', not to be believed';
  if (result?.question === 'tempo') {
    const { settledMs } = result.step;
    const has = settledMs === null ? 'never has the step' : `has the step after ${(settledMs / 1000).toFixed(1)} s`;
    return `${lateInWords(report.medianMs)}, ${has}${doubt}`;
  }
  if (plan) return `${report.medianMs.toFixed(2)} ms${doubt}`;
  return lateInWords(report.medianMs) + doubt;
}
