import { measureLink, type ExchangeRecord, type LinkReport } from '@metronomo/core';
import { create } from 'zustand';
import { useSession } from '../hub/session';
import { probe, readExchanges, NetworkApiError, type NetworkSession } from '../network/api';
import { noteEvent } from '../store/events';
import type { RememberedPeer } from '../store/records';
import { decimal } from '../parts/numbers';

export type LinkFlow =
  | { state: 'idle'; problem: string | null }
  | { state: 'asking'; seconds: number; wantedSeconds: number; answered: number };

export const useLinkFlow = create<{ flow: LinkFlow }>(() => ({ flow: { state: 'idle', problem: null } }));

const LOOK_EVERY_MS = 500;
/** A reply later than this counts as lost. */
const LAST_ANSWER_MS = 1000;

let endEarly = false;

export function endLinkTake(): void {
  endEarly = true;
}

/**
 * Pings a peer repeatedly and stores every exchange in the Logbook. Returns the id of the entry; null if there were too
 * few replies.
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
    const problem =
      error instanceof NetworkApiError
        ? error.message
        : 'The network link couldn’t be measured. Check the session under Ports in Rig.';
    useLinkFlow.setState({ flow: { state: 'idle', problem } });
    if (!(error instanceof NetworkApiError)) throw error;
    return null;
  }
}

function tooLittle({ weInvited }: NetworkSession): string {
  return weInvited
    ? 'Almost no replies. Check that the other side is still connected.'
    : 'Too few replies. The side that invited pings only about once per second. Measure longer, or send the invitation from this side.';
}

export function linkInWords(name: string, { roundTripMs, jitterBackMs, loss }: LinkReport): string {
  return `${name}: ${decimal(roundTripMs.median, 1)} ms round trip, ${decimal(jitterBackMs, 2)} ms jitter, ${decimal(100 * loss, 1)}% loss`;
}

async function ask(session: NetworkSession, wantedSeconds: number): Promise<ExchangeRecord[]> {
  const before = (await readExchanges(session.id, 0)).at(-1)?.number ?? 0;
  await probe(session.id, wantedSeconds * 1000);
  const beganMs = performance.now();
  const gone = () => (performance.now() - beganMs) / 1000;
  let records: ExchangeRecord[] = [];
  while (gone() < wantedSeconds && !endEarly) {
    await delay(LOOK_EVERY_MS);
    records = await readExchanges(session.id, before);
    const answered = records.filter(({ receivedMs }) => receivedMs !== null).length;
    useLinkFlow.setState({
      flow: { state: 'asking', seconds: Math.min(gone(), wantedSeconds), wantedSeconds, answered },
    });
  }
  await probe(session.id, 0);
  await delay(LAST_ANSWER_MS);
  return readExchanges(session.id, before);
}

function delay(ms: number): Promise<void> {
  return new Promise((resolve) => setTimeout(resolve, ms));
}
