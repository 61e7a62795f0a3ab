import clsx from 'clsx';
import { format } from 'date-fns';
import { useLiveQuery } from 'dexie-react-hooks';
import { ArrowLeft } from 'lucide-react';
import { useState } from 'react';
import { Link } from 'react-router';
import { compareTakes, conditions, type LineComparison } from '../../history/compare-takes';
import { BeatLineRow, BeatLineRule, beatLineDomain } from '../../parts/beat-line';
import { takeInWords } from '../../parts/take-words';
import { signed } from '../../parts/words';
import { useTakes } from '../../store/use-takes';
import type { Take } from '../../store/records';
import { loadTake } from '../../store/takes';

/** Two takes beside each other: what they were made with, what came out, and whether the difference is more than chance. */
export function ComparePanel({ firstId, secondId }: { firstId: string; secondId: string }) {
  const first = useLiveQuery(() => loadTake(firstId), [firstId]);
  const second = useLiveQuery(() => loadTake(secondId), [secondId]);
  const others = useTakes();
  const [index, setIndex] = useState(0);
  if (first === undefined || second === undefined) return null;
  if (!first || !second)
    return <p className="p-5 text-soft">One of these takes is not here any more. {<BackToAll />}</p>;
  const lines = compareTakes(first, second, others);
  const line = lines[Math.min(index, lines.length - 1)];
  return (
    <div className="flex flex-col gap-4 px-5 py-4">
      <header className="flex flex-wrap items-center gap-4">
        <BackToAll />
        <h2 className="text-lg font-bold">
          {named(first)} and {named(second)}
        </h2>
      </header>
      {!line ? (
        <p className="text-soft">
          They have no gear in common: {first.lines.map(({ name }) => name).join(', ')} in the first,{' '}
          {second.lines.map(({ name }) => name).join(', ')} in the second.
        </p>
      ) : (
        <div className="grid grid-cols-1 gap-6 lg:grid-cols-[1fr_400px]">
          <Differences lines={lines} chosen={line} onChoose={(one) => setIndex(lines.indexOf(one))} />
          <Conditions first={first} second={second} gearId={line.gearId} />
        </div>
      )}
    </div>
  );
}

function BackToAll() {
  return (
    <Link to="/logbook" className="inline-flex items-center gap-1.5 text-sm underline underline-offset-4">
      <ArrowLeft size={14} aria-hidden /> All entries
    </Link>
  );
}

function named(take: Take): string {
  return `${takeInWords(take)}, ${format(take.startedAt, 'd MMM, HH:mm:ss')}`;
}

function Differences({
  lines,
  chosen,
  onChoose,
}: {
  lines: LineComparison[];
  chosen: LineComparison;
  onChoose: (line: LineComparison) => void;
}) {
  const late = (which: 'first' | 'second') => (line: LineComparison) =>
    line[which].landings.map(({ lateMs }) => lateMs);
  const domain = beatLineDomain(lines.flatMap((line) => [...late('first')(line), ...late('second')(line)]));
  return (
    <div className="min-w-0">
      <div className="grid grid-cols-[130px_1fr] items-center gap-x-3 text-sm">
        <span className="text-xs text-soft">first over second</span>
        <BeatLineRule domain={domain} unit="ms" />
      </div>
      <ul>
        {lines.map((line) => (
          <li key={line.name} className={clsx('ruled-b', line === chosen && 'bg-raised')}>
            <button
              type="button"
              aria-pressed={line === chosen}
              onClick={() => onChoose(line)}
              className="grid w-full grid-cols-[130px_1fr] items-center gap-x-3 py-1 text-left text-sm"
            >
              <span>
                <b className="block">{line.name}</b>
                <span className="text-xs text-soft">{inShort(line)}</span>
              </span>
              <BeatLineRow
                height={44}
                domain={domain}
                label={`${line.name}: ${inWords(line)}`}
                row={{
                  lateMs: late('second')(line),
                  before: late('first')(line),
                  medianMs: line.second.report?.medianMs ?? null,
                  beforeMedianMs: line.first.report?.medianMs ?? null,
                }}
              />
            </button>
          </li>
        ))}
      </ul>
      <p className="mt-3 max-w-prose text-base" role="status">
        <b>{chosen.name}.</b> {inWords(chosen)}
      </p>
      <p className="mt-2 max-w-prose text-xs text-soft">
        By the Wilcoxon rank-sum test and its shift (Hodges and Lehmann), at 95 of 100; and, where five takes or more
        are here, by how far the middle wanders from take to take.
      </p>
    </div>
  );
}

function inShort({ shift, real }: LineComparison): string {
  if (!shift) return 'cannot be said';
  return `${signed(shift.shiftMs, 2)} ms, ${real ? 'told apart' : 'not told apart'}`;
}

function inWords({ shift, problem, real, byOffsetMs, usualMs }: LineComparison): string {
  if (!shift) return problem ?? 'Nothing can be said.';
  const [low, high] = shift.ci95Ms;
  const way = shift.shiftMs < 0 ? 'earlier' : 'later';
  const moved = `It lands ${Math.abs(shift.shiftMs).toFixed(2)} ms ${way} than the first time (95 %: from ${signed(low, 2)} to ${signed(high, 2)} ms).`;
  const offset = byOffsetMs === 0 ? '' : ` Its offset was moved by ${signed(byOffsetMs, 2)} ms meanwhile.`;
  const usual = usualMs === null ? '' : ` From take to take its middle wanders by ${usualMs.toFixed(2)} ms by itself.`;
  const what = byOffsetMs === 0 ? 'The difference' : 'What the offset does not explain';
  return `${moved}${offset}${usual} ${what} is ${real ? 'more than chance' : 'no more than chance'}.`;
}

function Conditions({ first, second, gearId }: { first: Take; second: Take; gearId: string | null }) {
  return (
    <table className="self-start text-sm">
      <caption className="mb-2 text-left text-lg font-bold">What they were made with</caption>
      <thead>
        <tr className="ruled-b text-left text-xs text-soft">
          <th className="font-normal">
            <span className="sr-only">What</span>
          </th>
          <th className="font-normal">First</th>
          <th className="font-normal">Second</th>
        </tr>
      </thead>
      <tbody>
        {conditions(first, second, gearId).map(({ what, first: a, second: b, differs }) => (
          <tr key={what} className={clsx('ruled-b align-top', differs && 'font-bold')}>
            <th scope="row" className="py-1 pr-3 text-left font-normal text-soft">
              {what}
            </th>
            <td className="pr-3">{a}</td>
            <td>
              {b}
              {differs && <span className="sr-only"> (differs)</span>}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
