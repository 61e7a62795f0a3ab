import { measureLink, type LinkReport } from '@metronomo/core';
import { useLiveQuery } from 'dexie-react-hooks';
import { Trash2 } from 'lucide-react';
import { useMemo, useState } from 'react';
import { reportDeleted } from '../../studio/undoable';
import { showToast } from '../../toasts/toast-store';
import { changeRig, undoWhileLatest } from '../../studio/rig';
import { useSession } from '../../studio/session';
import { setBuffer } from '../../network/api';
import { withPeer } from '../../network/peers';
import { usePeerSessions } from '../../studio/use-peer-sessions';
import { Button } from '../../parts/button';
import { LineFigure } from '../../parts/chart-figure';
import { database } from '../../store/database';
import { deleteEvent, listLinks } from '../../store/events';
import type { HistoryEvent, LinkData } from '../../store/records';
import { decimal, percent } from '../../words/numbers';
import { exactDayAndTime } from '../../parts/dates';

/** Link measurements of this rig, newest first. */
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
        Measures latency, jitter and packet loss to another computer or tablet, and recommends settings for both sides.
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
    reportDeleted(`Link measurement to ${link.peerName} deleted`, undo);
  };
  if (!report) return null;
  const startMs = report.points[0]?.atMs ?? 0;
  return (
    <div className="flex flex-col gap-4">
      <header className="flex flex-wrap items-center gap-3">
        <h2 className="text-lg font-bold">Network link to {link.peerName}</h2>
        <select
          aria-label="Measurement shown"
          className="border border-rule px-1.5 py-1 text-sm"
          value={event.id}
          onChange={({ target }) => onChoose(target.value)}
        >
          {others.map(({ id, at, link: other }) => (
            <option key={id} value={id}>
              {exactDayAndTime(at)} {other?.peerName}
            </option>
          ))}
        </select>
        <Button tone="quiet" className="ml-auto" aria-label="Delete measurement" onClick={() => void remove()}>
          <Trash2 size={16} aria-hidden />
        </Button>
      </header>
      <p className="max-w-prose">{summaryText(report, link)}</p>
      <RecommendedSettings report={report} link={link} />
      <Numbers report={report} />
      <LineFigure
        caption="Round trip over time"
        label={`Round trip to ${link.peerName}`}
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

function summaryText({ roundTripMs, latestBackMs, bufferMs }: LinkReport, link: LinkData): string {
  const enough = link.bufferMs >= bufferMs;
  return (
    `About ${decimal(roundTripMs.median / 2, 1)} ms one way if both directions are equal, with occasional delays of up to ` +
    `${decimal(latestBackMs, 1)} ms more. ` +
    (enough
      ? `The ${link.bufferMs} ms buffer absorbs this: incoming messages play as evenly as they were sent.`
      : `The ${link.bufferMs} ms buffer is too short: some incoming messages play late.`)
  );
}

function Numbers({ report }: { report: LinkReport }) {
  const { asked, answered, roundTripMs, lossInterval, loss } = report;
  const numbers = [
    ['Round trip, median', `${decimal(roundTripMs.median, 2)} ms`],
    [
      'Round trip, min/95%/max',
      `${decimal(roundTripMs.least, 2)}, ${decimal(roundTripMs.p95, 2)}, ${decimal(roundTripMs.most, 2)} ms`,
    ],
    ['Jitter out/back, std dev', `${decimal(report.jitterThereMs, 2)}, ${decimal(report.jitterBackMs, 2)} ms`],
    [
      'Packet loss',
      `${percent(loss, 1)} of ${asked}, 95% interval ${percent(lossInterval[0], 1)} to ${percent(lossInterval[1], 1)}`,
    ],
    ['Replies', String(answered)],
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

/** The receive buffer to set here, and the send offset for the other side. */
function RecommendedSettings({ report, link }: { report: LinkReport; link: LinkData }) {
  const now = usePeerSessions().find(({ peer }) => peer.key === link.peerKey);
  const peer = now?.peer;
  const early = -report.offsetOnArrivalMs;
  const set = async () => {
    if (!peer) return;
    await changeRig((rig) => withPeer(rig, { ...peer, bufferMs: report.bufferMs }));
    if (now.session?.state === 'open') await setBuffer(now.session.id, report.bufferMs).catch(() => undefined);
    showToast(`Receive buffer for ${peer.name} set to ${report.bufferMs} ms.`, undoWhileLatest());
  };
  return (
    <section aria-label="Recommended settings" className="max-w-prose border border-rule bg-raised p-3 text-sm">
      <h3 className="font-bold">Recommended settings</h3>
      <p className="mt-1">
        Receive buffer: <b>{report.bufferMs} ms</b>.{' '}
        {peer && peer.bufferMs === report.bufferMs ? (
          <span className="text-good">Already set.</span>
        ) : (
          peer && (
            <Button className="ml-1" onClick={() => void set()}>
              Set buffer
            </Button>
          )
        )}
      </p>
      <p className="mt-2">
        If the device there plays messages as they arrive, send <b>{decimal(early, 1)} ms earlier</b>. If it is another
        Metronomo, send earlier by the receive buffer set over there: it plays each message at its timestamp plus that
        buffer.
      </p>
    </section>
  );
}
