import { useSession } from '../studio/session';
import { whole } from '../words/numbers';

/** Quieter than this is no signal: -70 dBFS. */
const LEAST = 0.0003;

/** Level meter of each audio input; one may stand out. */
export function Levels({ chosen = null }: { chosen?: number | null }) {
  const live = useSession(({ live }) => live);
  if (!live) return null;
  return (
    <div aria-label="Levels" role="group" className="flex flex-col gap-1">
      {live.readings.map(({ level }, i) => (
        <div key={i} className="grid grid-cols-[60px_1fr_60px] items-center gap-2 text-xs">
          <span className={i === chosen ? 'font-bold' : 'text-soft'}>input {i + 1}</span>
          <meter min={0} max={1} value={level} aria-label={`Input ${i + 1} level`} className="h-2 w-full" />
          <span className="text-right">{level > LEAST ? `${whole(20 * Math.log10(level))} dBFS` : 'no signal'}</span>
        </div>
      ))}
    </div>
  );
}
