import { measureLink, type ExchangeRecord, type LinkReport } from '@metronomo/core';
import { create } from 'zustand';
import { useSession } from '../hub/session';
import { probe, readExchanges, NetworkApiError, type NetworkSession } from '../network/api';
import { noteEvent } from '../store/events';
import type { RememberedPeer } from '../store/records';

export type LinkFlow =
  | { state: 'idle'; problem: string | null }
  | { state: 'asking'; seconds: number; wantedSeconds: number; answered: number };

export const useLinkFlow = create<{ flow: LinkFlow }>(() => ({ flow: { state: 'idle', problem: null } }));

const LOOK_EVERY_MS = 500;
/** An answer that has not come by then never comes. */
const LAST_ANSWER_MS = 1000;

let endEarly = false;

export function endLinkTake(): void {
  endEarly = true;
}

/**
 * Asks for the time over a link again and again, and keeps every question and answer in the logbook. Gives the id of what was kept;
 * null when there was too little.
 */
export async function measurePeer(
  peer: RememberedPeer,
  session: NetworkSession,
  wantedSeconds: number,
): Promise<string | null> {
  const { rig } = useSession.getState();
  if (!rig || useLinkFlow.getState().flow.state !== 'idle') return null;
  endEarly = false;
  try {
    const records = await ask(session, wantedSeconds);
    const report = measureLink(records);
    if (!report) throw new NetworkApiError(tooLittle(session));
    const { key: peerKey, name: peerName, weInvite, bufferMs } = peer;
    const id = await noteEvent({
      ...{ rigId: rig.id, kind: 'link', lines: [linkInWords(peerName, report)] },
      link: { peerKey, peerName, weInvite, bufferMs, records },
    });
    useLinkFlow.setState({ flow: { state: 'idle', problem: null } });
    return id;
  } catch (error) {
    const problem = error instanceof NetworkApiError ? error.message : 'The link could not be measured.';
    useLinkFlow.setState({ flow: { state: 'idle', problem } });
    if (!(error instanceof NetworkApiError)) throw error;
    return null;
  }
}

function tooLittle({ weInvited }: NetworkSession): string {
  return weInvited
    ? 'Hardly any answer came. Is the other side still there?'
    : 'Too few answers came: who was invited is asked by the other side, about once a second. Measure longer, or let this side invite.';
}

export function linkInWords(name: string, { roundTripMs, jitterBackMs, loss }: LinkReport): string {
  return `${name}: ${roundTripMs.median.toFixed(1)} ms there and back, jitter ${jitterBackMs.toFixed(2)} ms, ${(100 * loss).toFixed(1)} % lost`;
}

async function ask(session: NetworkSession, wantedSeconds: number): Promise<ExchangeRecord[]> {
  const before = (await readExchanges(session.id, 0)).at(-1)?.number ?? 0;
  await probe(session.id, wantedSeconds * 1000);
  const beganMs = performance.now();
  const gone = () => (performance.now() - beganMs) / 1000;
  let records: ExchangeRecord[] = [];
  while (gone() < wantedSeconds && !endEarly) {
    await later(LOOK_EVERY_MS);
    records = await readExchanges(session.id, before);
    const answered = records.filter(({ receivedMs }) => receivedMs !== null).length;
    useLinkFlow.setState({
      flow: { state: 'asking', seconds: Math.min(gone(), wantedSeconds), wantedSeconds, answered },
    });
  }
  await probe(session.id, 0);
  await later(LAST_ANSWER_MS);
  return readExchanges(session.id, before);
}

function later(ms: number): Promise<void> {
  return new Promise((resolve) => setTimeout(resolve, ms));
}
