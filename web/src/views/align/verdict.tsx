import type { OffsetLimit } from '@metronomo/core';
import { alignStatus, type AlignRow } from '../../align/align-rows';
import { setOffset } from '../../studio/set-offset';
import { Button } from '../../parts/button';
import { count } from '../../words/numbers';
import { inUnit, lateIn, moveIn, residualIn } from '../../parts/units';
import { useAlignLook, useUnitAt } from './look';

const LIMITS: Record<OffsetLimit, string> = {
  locked: 'offset is locked',
  earliest: 'already sent as early as possible',
  latest: 'already sent as late as possible',
  resolution: 'limited by the device’s step size',
  doubt: 'too much jitter to get closer',
  wire: 'shares its wire; a port of its own would fix it',
};
/** Smaller differences than this weren't set by ear on purpose. */
const BY_EAR_MS = 0.05;

/** A follower's status in words, with the one thing to do about it. */
export function Verdict({ row, toleranceMs, live }: { row: AlignRow; toleranceMs: number; live: boolean }) {
  const unit = useAlignLook(({ unit }) => unit);
  const at = useUnitAt();
  const { gear, known, lateMs, meetMs, wantedMs, limit, stale, before } = row;
  const standing = alignStatus(row, toleranceMs);
  const doubt = known ? ` ± ${inUnit(known.doubtMs, unit, at)}` : '';
  const left = known && lateMs !== null ? lateIn(lateMs, unit, at) + doubt : '';
  const residual = lateMs === null ? '' : residualIn(lateMs, unit, at) + doubt.replace(/ \w+$/, '');
  const apply = wantedMs !== null && (
    <Button onClick={() => void setOffset(gear.id, wantedMs)}>
      {standing === 'contradicted' ? 'Apply anyway' : 'Apply'}
    </Button>
  );
  switch (standing) {
    case 'unmeasured':
      return <Statement word="Not measured" below="measure first" />;
    case 'stale':
      return <Statement word="Out of date, measure again" below={stale ?? ''} tone="text-attention" />;
    case 'contradicted':
      return (
        <Statement
          word="Last two takes disagree"
          below={`by ${inUnit((known?.lateMs ?? 0) - (known?.contradictedBy?.lateMs ?? 0), unit, at)}; a third take decides`}
          tone="text-attention"
        >
          {apply}
        </Statement>
      );
    case 'type':
      return <Statement word="Enter on the device" below={`${left}; see Device offsets`} tone="text-attention" />;
    case 'apply': {
      const changeMs = (wantedMs ?? 0) - gear.offsetMs;
      const byEar = !row.now && before && Math.abs(changeMs) > BY_EAR_MS;
      return (
        <Statement
          word={moveIn(changeMs, unit, at)}
          below={
            byEar
              ? `${inUnit(changeMs, unit, at)} ${changeMs < 0 ? 'later' : 'earlier'} than measured, set by ear`
              : left
          }
        >
          {apply}
        </Statement>
      );
    }
    case 'limited':
      return (
        <Statement
          word={`${inUnit((lateMs ?? 0) - meetMs, unit, at)} residual`}
          below={limit ? LIMITS[limit] : ''}
          tone="text-attention"
        />
      );
    case 'applied': {
      const isOwn = gear.offset.where === 'own';
      const expected = known ? lateIn(known.lateMs + (isOwn ? row.hubMs : gear.offsetMs), unit, at) + doubt : '';
      const byEarMs = isOwn || wantedMs === null ? 0 : gear.offsetMs - wantedMs;
      const below =
        Math.abs(byEarMs) > BY_EAR_MS
          ? `${inUnit(byEarMs, unit, at)} ${byEarMs > 0 ? 'later' : 'earlier'} than measured, set by ear`
          : `expected ${expected}`;
      return <Statement word={live ? 'Applied, playing, unconfirmed' : 'Applied, unconfirmed'} below={below} />;
    }
    case 'there':
      return (
        <>
          <b className="flex items-center gap-2 text-sm text-good">
            <svg width="12" height="12" aria-hidden>
              <circle cx="6" cy="6" r="5" fill="currentColor" />
            </svg>
            {before ? 'Confirmed' : 'In time'}
            {row.locked && ', locked'}
          </b>
          <span className="text-xs text-soft">
            residual {residual}
            {known && known.takes > 1 && `, ${count(known.takes, 'take')}`}
          </span>
        </>
      );
  }
}

function Statement({
  word,
  below,
  tone = '',
  children,
}: {
  word: string;
  below: string;
  tone?: string;
  children?: React.ReactNode;
}) {
  return (
    <div className="flex items-center justify-between gap-2">
      <span className="min-w-0">
        <b className={`block text-sm first-letter:uppercase ${tone}`}>{word}</b>
        <span className="block text-xs text-soft">{below}</span>
      </span>
      {children}
    </div>
  );
}
