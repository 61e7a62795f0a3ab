import type { TakeFinding } from '@metronomo/core';
import { Link, useNavigate } from 'react-router';
import { GuideLink } from '../../parts/guide-link';
import { decimal, whole } from '../../words/numbers';
import type { TakeLine } from '../../store/records';

type Report = NonNullable<TakeLine['report']>;

/** A result that nothing should be set by: the reason, and no number that looks like one. */
export function Unreliable({
  report: { reason, matched, missed, extra },
  isLive,
}: {
  report: Report;
  /** Can be repeated at once, unlike a recording. */
  isLive: boolean;
}) {
  const navigate = useNavigate();
  return (
    <p role="status" className="ruled-b pb-4 text-sm">
      <b className="text-attention">Not reliable.</b> {reason}
      {matched > 0 && (
        <span className="text-soft">
          {' '}
          ({matched} heard, {missed} missed, {extra} extra)
        </span>
      )}
      {isLive && (
        <button
          type="button"
          className="ml-3 underline underline-offset-2"
          onClick={() => void navigate('/bench', { state: { take: Date.now() } })}
        >
          Record again
        </button>
      )}{' '}
      <GuideLink page="bench">What to check</GuideLink>
    </p>
  );
}

/** What else was noticed, each with what to do about it. */
export function Findings({ report: { findings = [], bleedDb } }: { report: Report }) {
  const notes = findings.flatMap((finding) => noteOn(finding) ?? []);
  if (bleedDb !== undefined && !findings.some(({ kind }) => kind === 'onlyClick'))
    notes.push({ text: `The click bleeds into this input at ${whole(bleedDb)} dB. It was removed before measuring.` });
  if (notes.length === 0) return null;
  return (
    <ul aria-label="Findings" className="flex flex-col gap-1 text-sm">
      {notes.map(({ text, inRig }) => (
        <li key={text}>
          {text}
          {inRig !== undefined && (
            <Link to="/rig" className="ml-3 underline underline-offset-2">
              {inRig} →
            </Link>
          )}
        </li>
      ))}
    </ul>
  );
}

interface Note {
  text: string;
  /** What can be set in Rig. */
  inRig?: string;
}

const PATTERNS: Readonly<Record<number, string>> = { 2: 'eighths', 3: 'triplets', 4: 'sixteenths' };

/** Null if the reason or the warning says it already. */
export function noteOn(finding: TakeFinding): Note | null {
  switch (finding.kind) {
    case 'otherTempo':
    case 'drift':
      return { text: 'Check its clock source.', inRig: 'Device settings' };
    case 'onlyClick':
      return {
        text: `The click is at ${whole(finding.bleedDb)} dB. No other sound was found.`,
        inRig: 'Audio returns',
      };
    case 'double':
      return {
        text: `It plays ${PATTERNS[finding.hitsPerBeat] ?? 'more than quarter notes'}. Its latency is measured from the hits on the beat.`,
      };
    case 'half':
      return { text: `It plays one hit every ${whole(1 / finding.hitsPerBeat)} beats.` };
    case 'offBeat':
      return { text: 'It plays an eighth note off the beat. Check the pattern.', inRig: 'Device settings' };
    case 'groups':
      return {
        text:
          finding.every === undefined
            ? `${whole(100 * finding.share)}% of the hits are ${decimal(finding.apartMs, 1)} ms later than the others.`
            : `Every ${ORDINALS[finding.every] ?? 'other'} beat is ${decimal(finding.apartMs, 1)} ms later than the others.`,
      };
    case 'clipped':
    case 'quiet':
    case 'jump':
    case 'ambiguous':
      return null;
  }
}

const ORDINALS: Readonly<Record<number, string>> = { 2: 'second', 3: 'third', 4: 'fourth' };
