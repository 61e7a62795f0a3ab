import type { Envelope } from '@metronomo/core';
import { useEffect, useState } from 'react';
import { measure } from '../../studio/workers';

/**
 * Waveform envelopes of a take's channels, or of a stretch in ms, one column per pixel; the audio itself stays in the
 * worker. Null until loaded.
 */
export function useEnvelopes(
  takeId: string,
  channels: number[],
  columns: number,
  withinMs: [number, number] | null,
): Envelope[] | null {
  const wanted = channels.join();
  const ask = () => (columns > 0 ? measure.envelopes(takeId, wanted.split(',').map(Number), columns, withinMs) : null);
  return useAnswer(ask, `${takeId} ${wanted} ${columns} ${withinMs?.join()}`);
}

/** A short stretch of one channel of a take. */
export function useExcerpt(takeId: string, channel: number, fromSample: number, toSample: number): Float32Array | null {
  const ask = () => measure.excerpt(takeId, channel, fromSample, toSample);
  return useAnswer(ask, `${takeId} ${channel} ${fromSample} ${toSample}`);
}

/** The worker's reply to the request named by `key`; replies to outdated requests are discarded. */
function useAnswer<T>(ask: () => Promise<T> | null, key: string): T | null {
  const [answer, setAnswer] = useState<{ key: string; value: T } | null>(null);
  useEffect(() => {
    let stale = false;
    void ask()?.then((value) => !stale && setAnswer({ key, value }));
    return () => {
      stale = true;
    };
    // The question is all in its key.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [key]);
  return answer?.value ?? null;
}
