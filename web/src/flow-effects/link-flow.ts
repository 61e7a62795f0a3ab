import { measureLink, type ExchangeRecord, type LinkReport } from '@metronomo/core';
import { create } from 'zustand';
import { collecting, type Look } from '../flows/collecting';
import { NetworkApiError, probe, readExchanges, type NetworkSession } from '../network/api';
import { noteEvent } from '../store/events';
import type { RememberedPeer } from '../store/records';
import { useSession } from '../studio/session';
import { decimal } from '../words/numbers';
import { FlowDesk } from './flow-desk';
import { does, runFlow } from './run-flow';

export type LinkFlow =
  | { state: 'idle'; problem: string | null }
  | { state: 'asking'; seconds: number; wantedSeconds: number; answered: number };

export const useLinkFlow = create<{ flow: LinkFlow }>(() => ({ flow: { state: 'idle', problem: null } }));

const LOOK_EVERY_MS = 500;
/** A reply later than this counts as lost. */
const LAST_ANSWER_MS = 1000;

const desk = new FlowDesk();

export function endLinkTake(): void {
  desk.end();
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
  if (!rig || desk.busy) return null;
  const asked = new Exchanges(session, wantedSeconds);
  const store = async () => {
    const report = measureLink(asked.records);
    if (!report) throw new Error(tooLittle(session));
    const { key: peerKey, name: peerName, weInvite, bufferMs } = peer;
    return noteEvent({
      ...{ rigId: rig.id, kind: 'link', lines: [linkInWords(peerName, report)] },
      link: { peerKey, peerName, weInvite, bufferMs, records: asked.records },
    });
  };
  const measured = await desk.run({
    needs: { ports: [], input: false, motion: false },
    prepare: () => undefined,
    start: () => undefined,
    capture: () => {
      const machine = collecting.provide({
        actors: { open: does(() => asked.open()), look: does(() => asked.look()), close: does(() => asked.close()) },
      });
      return runFlow(machine, { input: { everyMs: LOOK_EVERY_MS } });
    },
    analyze: store,
    // The server went away in the middle: what it said until then counts, if it is enough.
    recover: () => (measureLink(asked.records) ? store() : Promise.resolve(null)),
    restore: async () => void (await probe(session.id, 0)),
  });
  const { result = null, problem = null } = measured ?? {};
  useLinkFlow.setState({ flow: { state: 'idle', problem } });
  return result;
}

function tooLittle({ weInvited }: NetworkSession): string {
  return weInvited
    ? 'Almost no replies. Check that the other side is still connected.'
    : 'Too few replies. The side that invited pings only about once per second. Measure longer, or send the invitation from this side.';
}

export function linkInWords(name: string, { roundTripMs, jitterBackMs, loss }: LinkReport): string {
  return `${name}: ${decimal(roundTripMs.median, 1)} ms round trip, ${decimal(jitterBackMs, 2)} ms jitter, ${decimal(100 * loss, 1)}% loss`;
}

/** Exchanges with one peer, as the server counts them. */
class Exchanges {
  records: ExchangeRecord[] = [];
  readonly #session: NetworkSession;
  readonly #wantedSeconds: number;
  #before = 0;
  #beganMs = 0;

  constructor(session: NetworkSession, wantedSeconds: number) {
    this.#session = session;
    this.#wantedSeconds = wantedSeconds;
  }

  async open(): Promise<void> {
    const { id } = this.#session;
    await answered(async () => {
      this.#before = (await readExchanges(id, 0)).at(-1)?.number ?? 0;
      await probe(id, this.#wantedSeconds * 1000);
    });
    this.#beganMs = performance.now();
  }

  async look(): Promise<Look> {
    this.records = await answered(() => readExchanges(this.#session.id, this.#before));
    const seconds = (performance.now() - this.#beganMs) / 1000;
    const wantedSeconds = this.#wantedSeconds;
    const replies = this.records.filter(({ receivedMs }) => receivedMs !== null).length;
    useLinkFlow.setState({
      flow: { state: 'asking', seconds: Math.min(seconds, wantedSeconds), wantedSeconds, answered: replies },
    });
    return { done: seconds >= wantedSeconds };
  }

  /** The last replies may still be on their way. */
  async close(): Promise<void> {
    const { id } = this.#session;
    await probe(id, 0);
    await new Promise((resolve) => setTimeout(resolve, LAST_ANSWER_MS));
    this.records = await readExchanges(id, this.#before);
  }
}

/** @throws Error with a message for the musician, whatever fails on the way to the server. */
async function answered<Value>(ask: () => Promise<Value>): Promise<Value> {
  try {
    return await ask();
  } catch (cause) {
    if (cause instanceof NetworkApiError) throw cause;
    throw new Error('The network link couldn’t be measured. Check the session under Ports in Rig.', { cause });
  }
}
