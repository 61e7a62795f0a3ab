import useSWR, { mutate } from 'swr';
import { array, boolean, mixed, number, object, string, type InferType, type Schema } from 'yup';
import { TOKEN_HEADER, type ExchangeRecord, type SessionState } from '@metronomo/core';

const ROOT = '/api/network';
const LOOK_EVERY_MS = 1000;
const LOOK_FOR_PEERS_EVERY_MS = 3000;

const overviewSchema = object({
  open: boolean().required(),
  problem: string().defined().nullable(),
  name: string().defined().nullable(),
  port: number().defined().nullable(),
  addresses: array().of(string().required()).required(),
  lookingProblem: string().defined().nullable(),
});
const placeSchema = object({
  name: string().required().max(60),
  address: string().required().max(64),
  port: number().integer().required(),
});
const clockSchema = object({
  offsetMs: number().required(),
  driftPpm: number().required(),
  standardErrorMs: number().required(),
  roundTripMs: number().required(),
});
const sessionSchema = placeSchema.shape({
  id: string().required(),
  key: string().defined().nullable(),
  weInvited: boolean().required(),
  state: mixed<SessionState>().required().oneOf(['calling', 'callingData', 'ringing', 'expecting', 'open', 'ended']),
  reason: string().defined().nullable(),
  clock: clockSchema.defined().nullable(),
  roundTripMs: number().defined().nullable(),
  bufferMs: number().required(),
  playoutErrorMs: number().defined().nullable(),
  jitterMs: number().required(),
  received: number().required(),
  sent: number().required(),
  lost: number().required(),
  reordered: number().required(),
  tooLate: number().required(),
  playedLate: number().required(),
});
const exchangeSchema = object({
  number: number().required(),
  sentMs: number().required(),
  theirsMs: number().defined().nullable(),
  receivedMs: number().defined().nullable(),
});

export type NetworkOverview = InferType<typeof overviewSchema>;
export type Place = InferType<typeof placeSchema>;
export type NetworkSession = InferType<typeof sessionSchema>;

/** A request rejected by the server, with its message. */
export class NetworkApiError extends Error {}

async function read<Value>(path: string, schema: Schema<Value>): Promise<Value> {
  const response = await fetch(ROOT + path);
  if (!response.ok)
    throw new NetworkApiError('Metronomo’s server isn’t responding. Network MIDI is offline until it is back.');
  return schema.validate(await response.json(), { strict: true });
}

export const readNetwork = () => read('', overviewSchema);

/** State of network MIDI, with name and addresses. */
export function useNetwork(): { network: NetworkOverview | null; failed: boolean } {
  const { data, error } = useSWR('network', readNetwork, { refreshInterval: 10_000 });
  return { network: data ?? null, failed: error !== undefined };
}

/** Discovered peers. */
export function usePeers(): Place[] {
  const { data } = useSWR('network/peers', () => read('/peers', array().of(placeSchema).required()), {
    refreshInterval: LOOK_FOR_PEERS_EVERY_MS,
  });
  return data ?? [];
}

/** All sessions with their state; null until known. Requests from several components are deduplicated. */
export function useKnownSessions(): NetworkSession[] | null {
  const { data } = useSWR('network/sessions', () => read('/sessions', array().of(sessionSchema).required()), {
    refreshInterval: LOOK_EVERY_MS,
    keepPreviousData: true,
  });
  return data ?? null;
}

const NO_SESSIONS: NetworkSession[] = [];

export function useNetworkSessions(): NetworkSession[] {
  return useKnownSessions() ?? NO_SESSIONS;
}

export async function readExchanges(sessionId: string, after: number): Promise<ExchangeRecord[]> {
  return read(`/sessions/${sessionId}/exchanges?after=${after}`, array().of(exchangeSchema).required());
}

let token: Promise<string> | null = null;

/** Session token; readable only by same-origin pages. Fetched again after a server restart. */
export function readToken(anew = false): Promise<string> {
  if (anew) token = null;
  token ??= read('/token', object({ token: string().required() })).then((body) => body.token);
  token.catch(() => (token = null));
  return token;
}

/** @throws NetworkApiError with the server's message. */
async function change(method: 'POST' | 'PATCH' | 'DELETE', path: string, body: object = {}): Promise<unknown> {
  const send = async () =>
    fetch(ROOT + path, {
      method,
      headers: { 'content-type': 'application/json', [TOKEN_HEADER]: await readToken() },
      ...(method === 'DELETE' ? {} : { body: JSON.stringify(body) }),
    });
  let response = await send();
  if (response.status === 403) {
    token = null;
    response = await send();
  }
  void mutate('network/sessions');
  const answer: unknown = response.status === 204 ? null : await response.json().catch(() => null);
  if (response.ok) return answer;
  const { error } = (answer ?? {}) as { error?: unknown };
  throw new NetworkApiError(
    typeof error === 'string' ? error : 'The server rejected the request. Reload the page and try again.',
  );
}

export interface Invitation extends Place {
  key: string;
  bufferMs: number;
}

export const invite = ({ name, address, port, key, bufferMs }: Invitation) =>
  change('POST', '/sessions', { name, address, port, key, bufferMs });
export const accept = (id: string, key: string, bufferMs: number) =>
  change('POST', `/sessions/${id}/accept`, { key, bufferMs });
export const leave = (id: string) => change('DELETE', `/sessions/${id}`);
export const setBuffer = (id: string, bufferMs: number) => change('PATCH', `/sessions/${id}`, { bufferMs });
export const probe = (id: string, forMs: number) => change('POST', `/sessions/${id}/probe`, { forMs });
