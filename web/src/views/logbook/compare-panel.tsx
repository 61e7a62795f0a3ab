import clsx from 'clsx';
import { useLiveQuery } from 'dexie-react-hooks';
import { ArrowLeft } from 'lucide-react';
import { useState } from 'react';
import { Link } from 'react-router';
import { compareTakes, conditions, type Condition, type LineComparison } from '../../history/compare-takes';
import { useSession } from '../../studio/session';
import { BeatLineRow, BeatLineRule, beatLineDomain } from '../../parts/beat-line';
import { takeText } from '../../parts/take-words';
import { signed } from '../../parts/words';
import { useTakes } from '../../studio/use-takes';
import type { Take } from '../../store/records';
import { loadTake } from '../../store/takes';
import { decimal } from '../../words/numbers';
import { exactDayAndTime } from '../../parts/dates';

/** Two takes side by side: the difference, whether it is significant, and the conditions of both. */
export function ComparePanel({ firstId, secondId }: { firstId: string; secondId: string }) {
  const first = useLiveQuery(() => loadTake(firstId), [firstId]);
  const second = useLiveQuery(() => loadTake(secondId), [secondId]);
  const others = useTakes();
  const [index, setIndex] = useState(0);
  if (first === undefined || second === undefined) return null;
  if (!first || !second)
    return (
      <p className="p-5 text-soft">
        One of these takes no longer exists. <BackToAll />
      </p>
    );
  const lines = compareTakes(first, second, others);
  const line = lines[Math.min(index, lines.length - 1)];
  return (
    <div className="flex flex-col gap-4 px-5 py-4">
      <header className="flex flex-wrap items-center gap-4">
        <BackToAll />
        <h2 className="text-lg font-bold">
          {named(first)} vs. {named(second)}
        </h2>
      </header>
      {!line ? (
        <p className="text-soft">
          These takes have no gear in common. First: {first.lines.map(({ name }) => name).join(', ')}. Second:{' '}
          {second.lines.map(({ name }) => name).join(', ')}.
        </p>
      ) : (
        <div className="grid grid-cols-1 gap-6 lg:grid-cols-[1fr_360px]">
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
  return `${takeText(take)}, ${exactDayAndTime(take.startedAt)}`;
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
      <p className="max-w-prose text-base" role="status">
        <b>{chosen.name}.</b> {detailText(chosen)}
      </p>
      <p className="mt-1 mb-3 max-w-prose text-xs text-soft">
        Wilcoxon rank-sum test with the Hodges–Lehmann shift, 95% confidence. With four or more other takes of this
        device, the usual take-to-take variation counts as well.
      </p>
      <div className="grid grid-cols-[190px_1fr] items-center gap-x-3 text-sm">
        <span className="text-xs text-soft">First take above second</span>
        <BeatLineRule domain={domain} unit="ms" />
      </div>
      <ul>
        {lines.map((line) => (
          <li key={line.name} className={clsx('ruled-b', line === chosen && 'bg-raised')}>
            <button
              type="button"
              aria-pressed={line === chosen}
              onClick={() => onChoose(line)}
              className="grid w-full grid-cols-[190px_1fr] items-center gap-x-3 py-1 text-left text-sm"
            >
              <span>
                <b className="block">{line.name}</b>
                <span className="text-xs text-soft">{summaryText(line)}</span>
              </span>
              <BeatLineRow
                height={44}
                domain={domain}
                label={`${line.name}: ${detailText(line)}`}
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
    </div>
  );
}

function summaryText({ shift, real, byOffsetMs }: LineComparison): string {
  if (!shift) return 'not enough data';
  const why = real ? 'significant' : byOffsetMs === 0 ? 'not significant' : 'explained by the offset';
  return `${signed(shift.shiftMs, 2)} ms, ${why}`;
}

function detailText({ shift, problem, real, byOffsetMs, usualMs }: LineComparison): string {
  if (!shift) return problem ?? 'Not enough landings to compare.';
  const [low, high] = shift.ci95Ms;
  const way = shift.shiftMs < 0 ? 'earlier' : 'later';
  const moved = `${decimal(Math.abs(shift.shiftMs), 2)} ms ${way} than in the first take (95% interval ${signed(low, 2)} to ${signed(high, 2)} ms).`;
  const offset = byOffsetMs === 0 ? '' : ` The offset changed by ${signed(byOffsetMs, 2)} ms in between.`;
  const usual = usualMs === null ? '' : ` The median normally varies by ${decimal(usualMs, 2)} ms between takes.`;
  const what = byOffsetMs === 0 ? 'The difference' : 'The part the offset doesn’t explain';
  return `${moved}${offset}${usual} ${what} is ${real ? 'significant' : 'within normal variation'}.`;
}

function Conditions({ first, second, gearId }: { first: Take; second: Take; gearId: string | null }) {
  const sockets = useSession(({ rig }) => rig?.hubSockets);
  const portName = (portId: string) => sockets?.find((socket) => socket.portId === portId)?.label ?? portId;
  const all = conditions(first, second, gearId, portName);
  const differing = all.filter(({ differs }) => differs);
  const same = all.filter(({ differs }) => !differs);
  return (
    <div className="self-start text-sm">
      <ConditionTable caption="Conditions" rows={differing} />
      {differing.length === 0 && <p className="text-soft">Both takes were recorded under the same conditions.</p>}
      <details className="mt-3">
        <summary className="cursor-pointer text-soft hover:text-ink">Same in both</summary>
        <ConditionTable caption="" rows={same} />
      </details>
    </div>
  );
}

function ConditionTable({ caption, rows }: { caption: string; rows: readonly Condition[] }) {
  if (rows.length === 0) return caption && <h3 className="mb-2 text-lg font-bold">{caption}</h3>;
  return (
    <table className="w-full">
      <caption className={caption ? 'mb-2 text-left text-lg font-bold' : 'sr-only'}>
        {caption || 'Same in both'}
      </caption>
      <thead>
        <tr className="ruled-b text-left text-xs text-soft">
          <th className="font-normal">
            <span className="sr-only">Condition</span>
          </th>
          <th className="font-normal">First</th>
          <th className="font-normal">Second</th>
        </tr>
      </thead>
      <tbody>
        {rows.map(({ what, first, second, differs }) => (
          <tr key={what} className={clsx('ruled-b align-top', differs && 'font-bold')}>
            <th scope="row" className="py-1 pr-3 text-left font-normal text-soft">
              {what}
            </th>
            <td className="pr-3">{first}</td>
            <td>{second}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
