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
  // While the window is resized, the same sound at the former width will do.
  return useAnswer(ask, `${takeId} ${wanted} ${withinMs?.join()}`, String(columns));
}

/** A short stretch of one channel of a take. */
export function useExcerpt(takeId: string, channel: number, fromSample: number, toSample: number): Float32Array | null {
  const ask = () => measure.excerpt(takeId, channel, fromSample, toSample);
  return useAnswer(ask, `${takeId} ${channel} ${fromSample} ${toSample}`);
}

/**
 * The worker's reply about a subject in some detail; replies to outdated requests are discarded. Null until there is one
 * about this subject, and if it can't be read.
 */
function useAnswer<T>(ask: () => Promise<T> | null, subject: string, detail = ''): T | null {
  const [answer, setAnswer] = useState<{ subject: string; value: T } | null>(null);
  useEffect(() => {
    let stale = false;
    ask()?.then(
      (value) => !stale && setAnswer({ subject, value }),
      () => !stale && setAnswer(null),
    );
    return () => {
      stale = true;
    };
    // The question is all in its subject and detail.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [subject, detail]);
  return answer?.subject === subject ? answer.value : null;
}
