import type { ReturnReading } from '@metronomo/core';
import clsx from 'clsx';
import { useSession } from '../../studio/session';
import { useBarNow, useSongFacts } from '../../studio/use-song-facts';
import { litLamp } from './lit-lamp';

/** One lamp per beat of the bar; the one of the last hit is lit. */
export function Lamps({ reading, name }: { reading: ReturnReading | null; name: string }) {
  const hitMs = reading?.lastHitMs ?? null;
  const facts = useSongFacts();
  const { bar } = useBarNow();
  const lit = useSession(({ snapshot, snapshotAtMs }) =>
    snapshot.state === 'stopped' || !facts ? null : litLamp(hitMs, snapshot, snapshotAtMs, facts.meter),
  );
  return (
    <span role="img" aria-label={lit === null ? `${name}: no beat` : `${name}: beat ${lit + 1}`} className="flex gap-1">
      {Array.from({ length: bar.beatsPerBar }, (_, i) => (
        <span
          key={i}
          {...(lit === i && { 'data-lit': true })}
          className={clsx('h-3.5 w-3.5 border border-ink', lit === i && 'bg-ink')}
        />
      ))}
    </span>
  );
}
