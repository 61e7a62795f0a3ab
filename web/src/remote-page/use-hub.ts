import { REMOTE_PROTOCOL } from '@metronomo/core';
import { useCallback, useEffect, useRef, useState } from 'react';
import { Connection } from '../remote/connect';
import { HubClock } from './hub-clock';
import { readFromHost, type FromRemote, type RemoteState } from '../remote/messages';

const ASK_EVERY_MS = 500;

export interface HubLink {
  state: RemoteState | null;
  /** Whether a hub is there. */
  connected: boolean;
  roundTripMs: number | null;
  /** Where the song is now, in quarter notes. */
  beatNow: () => number;
  send: (message: FromRemote) => void;
}

/** The hub, as a remote page knows it. */
export function useHub(): HubLink {
  const [state, setState] = useState<RemoteState | null>(null);
  const [connected, setConnected] = useState(false);
  const [roundTripMs, setRoundTrip] = useState<number | null>(null);
  const latest = useRef<RemoteState | null>(null);
  const clock = useRef<HubClock | null>(null);
  const connection = useRef<Connection | null>(null);
  useEffect(() => {
    // A phone in the network gets the page without HTTPS, where there is no `randomUUID`.
    const id = crypto.getRandomValues(new Uint32Array(4)).join('-');
    const ownClock = new HubClock();
    clock.current = ownClock;
    const heard = (text: unknown) => {
      const message = readFromHost(text);
      if (message?.kind === 'hubGone') setConnected(false);
      if (message?.kind === 'answer' && message.id === id) {
        ownClock.add(message.sentMs, message.hubMs, performance.now());
        setRoundTrip(ownClock.roundTripMs);
      }
      if (message?.kind !== 'state') return;
      latest.current = message;
      setState(message);
      setConnected(true);
    };
    const own = new Connection(REMOTE_PROTOCOL, heard, (open) => {
      if (!open) setConnected(false);
    });
    connection.current = own;
    const timer = setInterval(() => own.send({ kind: 'ask', id, sentMs: performance.now() }), ASK_EVERY_MS);
    return () => {
      clearInterval(timer);
      own.close();
    };
  }, []);
  const beatNow = useCallback(() => {
    const known = latest.current;
    if (!known) return 0;
    const hubMs = clock.current?.at(performance.now()) ?? known.atMs;
    return known.plays ? known.beat + ((hubMs - known.atMs) * known.bpm) / 60_000 : known.beat;
  }, []);
  const send = useCallback((message: FromRemote) => connection.current?.send(message), []);
  return { state, connected, roundTripMs, beatNow, send };
}
