import { BeatLineRow, BeatLineRule, beatLineDomain } from '../../parts/beat-line';
import { latenessText } from '../../parts/words';
import type { TakeLine } from '../../store/records';

/** All followers of a take on one beat line; press one to open it. */
export function AllLines({ lines, onChoose }: { lines: TakeLine[]; onChoose: (index: number) => void }) {
  const domain = beatLineDomain(lines.flatMap(({ landings }) => landings.map(({ lateMs }) => lateMs)));
  return (
    <section aria-label="All followers" className="grid grid-cols-[140px_minmax(0,1fr)] items-center gap-x-4">
      <h3 className="text-sm font-bold">All followers</h3>
      <BeatLineRule domain={domain} unit="ms" />
      {lines.map(({ name, landings, report }, i) => {
        const heard = report !== null && report.matched > 0;
        return (
          <div key={i} className="contents">
            <button type="button" onClick={() => onChoose(i)} className="truncate text-left text-sm hover:underline">
              {name}
            </button>
            <BeatLineRow
              height={34}
              domain={domain}
              row={{ lateMs: landings.map(({ lateMs }) => lateMs), medianMs: heard ? report.medianMs : null }}
              label={`${name}: ${heard ? latenessText(report.medianMs) : 'no result'}`}
            />
          </div>
        );
      })}
    </section>
  );
}
