import { BEATS_PER_BAR } from '@metronomo/core';
import type { ReturnReading } from '@metronomo/core';
import clsx from 'clsx';
import { useSession } from '../../hub/session';
import { litLamp } from './lit-lamp';

/** One lamp per quarter of the bar; the one of the last hit is lit. */
export function Lamps({ reading, name }: { reading: ReturnReading | null; name: string }) {
  const hitMs = reading?.lastHitMs ?? null;
  const lit = useSession(({ snapshot, snapshotAtMs }) =>
    snapshot.state === 'stopped' ? null : litLamp(hitMs, snapshot, snapshotAtMs),
  );
  return (
    <span role="img" aria-label={lit === null ? `${name}: no beat` : `${name}: beat ${lit + 1}`} className="flex gap-1">
      {Array.from({ length: BEATS_PER_BAR }, (_, i) => (
        <span key={i} className={clsx('h-3.5 w-3.5 border border-ink', lit === i && 'bg-ink')} />
      ))}
    </span>
  );
}
