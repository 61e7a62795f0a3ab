import type { OffsetLimit } from '@metronomo/core';
import { standingOf, type AlignRow } from '../../align/align-rows';
import { setOffset } from '../../hub/set-offset';
import { Button } from '../../parts/button';
import { inUnit, lateIn, moveIn } from '../../parts/units';
import { useAlignLook, useUnitAt } from './look';

const LIMITS: Record<OffsetLimit, string> = {
  locked: 'it is locked',
  earliest: 'it can be sent no earlier',
  latest: 'it can be sent no later',
  resolution: 'its own steps are no finer',
  doubt: 'it varies too much to know better',
};
/** Less than this the ear did not mean it. */
const BY_EAR_MS = 0.05;

/** How one follower stands, in words, with the one thing to do about it. */
export function Verdict({ row, toleranceMs, live }: { row: AlignRow; toleranceMs: number; live: boolean }) {
  const unit = useAlignLook(({ unit }) => unit);
  const at = useUnitAt();
  const { gear, known, lateMs, meetMs, wantedMs, limit, stale, before } = row;
  const standing = standingOf(row, toleranceMs);
  const left = known && lateMs !== null ? `${lateIn(lateMs, unit, at)} ± ${inUnit(known.doubtMs, unit, at)}` : '';
  const apply = wantedMs !== null && (
    <Button onClick={() => void setOffset(gear.id, wantedMs)}>
      {standing === 'contradicted' ? 'Apply anyway' : 'Apply'}
    </Button>
  );
  switch (standing) {
    case 'unmeasured':
      return <Said word="Not measured" below="measure it first" />;
    case 'stale':
      return <Said word="Stale: measure it again" below={stale ?? ''} tone="text-attention" />;
    case 'contradicted':
      return (
        <Said
          word="Its last two takes disagree"
          below={`by ${inUnit((known?.lateMs ?? 0) - (known?.contradictedBy?.lateMs ?? 0), unit, at)}; a third decides`}
          tone="text-attention"
        >
          {apply}
        </Said>
      );
    case 'type':
      return <Said word="To be typed into its own menu" below={`${left}; see What to type`} tone="text-attention" />;
    case 'apply': {
      const changeMs = (wantedMs ?? 0) - gear.offsetMs;
      const byEar = !row.now && before && Math.abs(changeMs) > BY_EAR_MS;
      return (
        <Said
          word={moveIn(changeMs, unit, at)}
          below={
            byEar ? `by ear ${inUnit(changeMs, unit, at)} ${changeMs < 0 ? 'later' : 'earlier'} than measured` : left
          }
        >
          {apply}
        </Said>
      );
    }
    case 'limited':
      return (
        <Said
          word={`${inUnit((lateMs ?? 0) - meetMs, unit, at)} will be left over`}
          below={limit ? LIMITS[limit] : ''}
          tone="text-attention"
        />
      );
    case 'applied': {
      const byEarMs = wantedMs === null ? 0 : gear.offsetMs - wantedMs;
      const below =
        Math.abs(byEarMs) > BY_EAR_MS
          ? `by ear ${inUnit(byEarMs, unit, at)} ${byEarMs > 0 ? 'later' : 'earlier'} than measured`
          : `should be ${left}`;
      return <Said word={live ? 'Applied, playing, not proved' : 'Applied, not proved'} below={below} />;
    }
    case 'there':
      return (
        <>
          <b className="flex items-center gap-2 text-sm text-good">
            <svg width="12" height="12" aria-hidden>
              <circle cx="6" cy="6" r="5" fill="currentColor" />
            </svg>
            {before ? 'Proved' : 'In time'}
            {row.locked && ', locked'}
          </b>
          <span className="text-xs text-soft">
            left over {left}
            {known && known.takes > 1 && `, ${known.takes} takes`}
          </span>
        </>
      );
  }
}

function Said({
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
