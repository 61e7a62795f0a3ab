import type { TakeFinding } from '@metronomo/core';
import { Link, useNavigate } from 'react-router';
import { GuideLink } from '../../parts/guide-link';
import type { RigPlace } from '../../parts/rig-place';
import { CLOCK_RATES } from '../../parts/words';
import { decimal, whole } from '../../words/numbers';
import type { Gear, TakeLine } from '../../store/records';
import { changeRig, undoWhileLatest } from '../../studio/rig';
import { useSession } from '../../studio/session';
import { showToast } from '../../toasts/toast-store';

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
export function Findings({ line: { report, gearId } }: { line: TakeLine }) {
  const gear = useSession(({ rig }) => rig?.gear.find(({ id }) => id === gearId));
  const { findings = [], bleedDb, besideDb } = report ?? {};
  const notes = findings.flatMap((finding) => noteOn(finding) ?? []);
  if (bleedDb !== undefined && !findings.some(({ kind }) => kind === 'onlyClick'))
    notes.push({ text: `The click bleeds into this input at ${whole(bleedDb)} dB. It was removed before measuring.` });
  if (besideDb !== undefined && !findings.some(({ kind }) => kind === 'onlyBeside'))
    notes.push({
      text: `Another device bleeds into this input at ${whole(besideDb)} dB. It was removed before measuring.`,
    });
  if (notes.length === 0) return null;
  return (
    <ul aria-label="Findings" className="flex flex-col gap-1 text-sm">
      {notes.map(({ text, cure }) => (
        <li key={text}>
          {text}
          {cure && gear && <CureButton cure={cure} gear={gear} />}
        </li>
      ))}
    </ul>
  );
}

/** Where the cause is removed: in a part of Rig, or at once by the rate of the device’s clock. */
type Cure = { open: 'settings' | 'returns' | 'levels' } | { clockTimes: 0.5 | 2 };

const OPENS = {
  settings: ['Device settings', (gear: string) => ({ gear, unfold: 'settings' })],
  returns: ['Audio return', (gear: string) => ({ gear })],
  levels: ['Input levels', () => ({ panel: 'ports' })],
} as const satisfies Record<string, readonly [string, (gear: string) => RigPlace]>;

function CureButton({ cure, gear }: { cure: Cure; gear: Gear }) {
  const className = 'ml-3 underline underline-offset-2';
  if ('open' in cure) {
    const [label, placeOf] = OPENS[cure.open];
    return (
      <Link to="/rig" state={placeOf(gear.id)} className={className}>
        {label} →
      </Link>
    );
  }
  const next = CLOCK_RATES.find(([rate]) => rate === gear.clockRate * cure.clockTimes);
  if (gear.syncsTo !== 'clock' || !next) return null;
  const [rate, words] = next;
  return (
    <button type="button" className={className} onClick={() => void sendAt(gear, rate, words)}>
      Send {words}
    </button>
  );
}

async function sendAt({ id, name }: Gear, clockRate: Gear['clockRate'], words: string): Promise<void> {
  await changeRig((rig) => ({ ...rig, gear: rig.gear.map((one) => (one.id === id ? { ...one, clockRate } : one)) }));
  showToast(`${name} gets its clock at ${words}. Record again.`, undoWhileLatest());
}

interface Note {
  text: string;
  cure?: Cure;
}

const PATTERNS: Readonly<Record<number, string>> = { 2: 'eighths', 3: 'triplets', 4: 'sixteenths' };

/** Null if the reason says it already; recording again is offered beside it. */
function noteOn(finding: TakeFinding): Note | null {
  switch (finding.kind) {
    case 'otherTempo':
    case 'drift':
      return { text: 'Check its clock source.', cure: { open: 'settings' } };
    case 'onlyClick':
      return {
        text: `The click is at ${whole(finding.bleedDb)} dB. No other sound was found.`,
        cure: { open: 'returns' },
      };
    case 'onlyBeside':
      return {
        text: `The sound of another device is at ${whole(finding.bleedDb)} dB. No other sound was found.`,
        cure: { open: 'returns' },
      };
    case 'double':
      return {
        text: `It plays ${PATTERNS[finding.hitsPerBeat] ?? 'more than quarter notes'}. Its latency is measured from the hits on the beat.`,
        ...(finding.hitsPerBeat === 2 && { cure: { clockTimes: 0.5 } as const }),
      };
    case 'half':
      return {
        text: `It plays one hit every ${whole(1 / finding.hitsPerBeat)} beats.`,
        ...(finding.hitsPerBeat === 0.5 && { cure: { clockTimes: 2 } as const }),
      };
    case 'offBeat':
      return { text: 'It plays an eighth note off the beat. Check the pattern.', cure: { open: 'settings' } };
    case 'groups':
      return {
        text:
          finding.every === undefined
            ? `${whole(100 * finding.share)}% of the hits are ${decimal(finding.apartMs, 1)} ms later than the others. Check its swing.`
            : `Every ${ORDINALS[finding.every] ?? 'other'} beat is ${decimal(finding.apartMs, 1)} ms later than the others. Check its swing.`,
        cure: { open: 'settings' },
      };
    case 'clipped':
    case 'quiet':
      return { text: 'Watch the level while the device plays.', cure: { open: 'levels' } };
    case 'jump':
    case 'ambiguous':
      return null;
  }
}

const ORDINALS: Readonly<Record<number, string>> = { 2: 'second', 3: 'third', 4: 'fourth' };
