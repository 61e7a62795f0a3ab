import { measureLink, type LinkReport } from '@metronomo/core';
import { format } from 'date-fns';
import { useLiveQuery } from 'dexie-react-hooks';
import { Trash2 } from 'lucide-react';
import { useMemo, useState } from 'react';
import { tell } from '../../app/toast-store';
import { changeRig, undoWhileLatest, useSession } from '../../hub/session';
import { setBuffer } from '../../network/api';
import { withPeer } from '../../network/peers';
import { usePeerSessions } from '../../network/use-peer-sessions';
import { Button } from '../../parts/button';
import { LineFigure } from '../../parts/chart-figure';
import { database } from '../../store/database';
import { deleteEvent, listLinks } from '../../store/events';
import type { HistoryEvent, LinkData } from '../../store/records';

/** What the ways to peers were found to be, the newest first. */
export function LinkResults() {
  const rigId = useSession(({ rig }) => rig?.id ?? '');
  const links = useLiveQuery(() => listLinks(rigId), [rigId, database]) ?? [];
  const [chosenId, setChosenId] = useState<string | null>(null);
  const shown = links.find(({ id }) => id === chosenId) ?? links[0];
  if (shown?.link) return <LinkResult event={shown} link={shown.link} others={links} onChoose={setChosenId} />;
  return (
    <div className="max-w-prose text-soft">
      <h2 className="mb-2 text-lg font-bold text-ink">No link measured yet</h2>
      <p>
        Here stands what the network does to time on its way to another computer or tablet: how long it takes, how much
        that varies, what is lost, and what to set on either side.
      </p>
    </div>
  );
}

function LinkResult({
  event,
  link,
  others,
  onChoose,
}: {
  event: HistoryEvent;
  link: LinkData;
  others: HistoryEvent[];
  onChoose: (id: string) => void;
}) {
  const report = useMemo(() => measureLink(link.records), [link]);
  const remove = async () => {
    const undo = await deleteEvent(event);
    tell(`The link to ${link.peerName} was taken out.`, () => void undo());
  };
  if (!report) return null;
  const startMs = report.points[0]?.atMs ?? 0;
  return (
    <div className="flex flex-col gap-4">
      <header className="flex flex-wrap items-center gap-3">
        <h2 className="text-lg font-bold">The way to {link.peerName}</h2>
        <select
          aria-label="Which one is shown"
          className="border border-rule px-1.5 py-1 text-sm"
          value={event.id}
          onChange={({ target }) => onChoose(target.value)}
        >
          {others.map(({ id, at, link: other }) => (
            <option key={id} value={id}>
              {format(at, 'd MMM, HH:mm:ss')} {other?.peerName}
            </option>
          ))}
        </select>
        <Button tone="quiet" className="ml-auto" aria-label="Delete this one" onClick={() => void remove()}>
          <Trash2 size={16} aria-hidden />
        </Button>
      </header>
      <p className="max-w-prose">{inWords(report, link)}</p>
      <Numbers report={report} />
      <WhatToSet report={report} link={link} />
      <LineFigure
        caption="There and back, ms, by when it was asked, s"
        label={`There and back to ${link.peerName}`}
        className="h-56"
        x="s"
        y="ms"
        series={[
          {
            points: report.points.map(({ atMs, roundTripMs }) => ({ x: (atMs - startMs) / 1000, y: roundTripMs })),
            marks: true,
          },
        ]}
      />
    </div>
  );
}

function inWords({ roundTripMs, latestBackMs, bufferMs }: LinkReport, link: LinkData): string {
  const enough = link.bufferMs >= bufferMs;
  return (
    `A message is about ${(roundTripMs.median / 2).toFixed(1)} ms on its way, if both ways are alike, and up to ` +
    `${latestBackMs.toFixed(1)} ms more now and then. ` +
    (enough
      ? `The buffer of ${link.bufferMs} ms catches that: what comes is played as evenly as it was sent.`
      : `The buffer of ${link.bufferMs} ms is too short for that: some of what comes is played late.`)
  );
}

function Numbers({ report }: { report: LinkReport }) {
  const { asked, answered, roundTripMs, lossInterval, loss } = report;
  const percent = (share: number) => (100 * share).toFixed(1);
  const numbers = [
    ['There and back, median', `${roundTripMs.median.toFixed(2)} ms`],
    [
      'the shortest, 95 %, the longest',
      `${roundTripMs.least.toFixed(2)}, ${roundTripMs.p95.toFixed(2)}, ${roundTripMs.most.toFixed(2)} ms`,
    ],
    [
      'Jitter there, back (standard deviation)',
      `${report.jitterThereMs.toFixed(2)}, ${report.jitterBackMs.toFixed(2)} ms`,
    ],
    [
      'Lost',
      `${percent(loss)} % of ${asked}, from ${percent(lossInterval[0])} to ${percent(lossInterval[1])} % (95 %)`,
    ],
    ['Answers', String(answered)],
  ] as const;
  return (
    <dl className="grid max-w-2xl grid-cols-[auto_1fr] gap-x-5 gap-y-1 text-sm">
      {numbers.map(([term, value]) => (
        <div key={term} className="contents">
          <dt className="text-soft">{term}</dt>
          <dd>{value}</dd>
        </div>
      ))}
    </dl>
  );
}

/** The two numbers that this leads to: the buffer here, and the offset of what is sent there. */
function WhatToSet({ report, link }: { report: LinkReport; link: LinkData }) {
  const now = usePeerSessions().find(({ peer }) => peer.key === link.peerKey);
  const peer = now?.peer;
  const early = -report.offsetOnArrivalMs;
  const set = async () => {
    if (!peer) return;
    await changeRig((rig) => withPeer(rig, { ...peer, bufferMs: report.bufferMs }));
    if (now.session?.state === 'open') await setBuffer(now.session.id, report.bufferMs).catch(() => undefined);
    tell(`What comes from ${peer.name} is played ${report.bufferMs} ms after it was sent.`, undoWhileLatest());
  };
  return (
    <section aria-label="What to set" className="max-w-prose border border-rule bg-raised p-3 text-sm">
      <h3 className="font-bold">What to set</h3>
      <p className="mt-1">
        A buffer of <b>{report.bufferMs} ms</b> for what comes from there.{' '}
        {peer && peer.bufferMs === report.bufferMs ? (
          <span className="text-good">It is set.</span>
        ) : (
          peer && (
            <Button className="ml-1" onClick={() => void set()}>
              Set the buffer
            </Button>
          )
        )}
      </p>
      <p className="mt-2">
        To gear there that plays what it is sent as it comes, send it <b>{early.toFixed(1)} ms earlier</b>. To another
        Metronomo, send it earlier by the buffer that is set over there: it plays what comes at its time plus that
        buffer.
      </p>
    </section>
  );
}
