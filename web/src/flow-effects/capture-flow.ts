import type { CapturedMessage } from '@metronomo/core';
import { create } from 'zustand';
import { showToast } from '../toasts/toast-store';
import { database } from '../store/database';
import type { CapturedStream } from '../store/records';
import { messagesOf, MAX_KEPT_MESSAGES } from '../store/streams';
import { hub } from '../studio/workers';
import { useSession } from '../studio/session';

/** A closed tab loses no more than this. */
const WRITE_EVERY_MS = 500;
/** Lead, so that playback doesn't start in the past. */
const PLAY_LEAD_MS = 200;
const LOOK_EVERY_MS = 200;

interface CaptureState {
  stopping: boolean;
  /** Messages in the current capture; null if there is none. */
  captured: number | null;
  /** The capture being played back, and how many messages are left. */
  playing: { id: string; left: number } | null;
}

export const useCapture = create<CaptureState>(() => ({ stopping: false, captured: null, playing: null }));

/** Records every message in and out until it is stopped. */
export async function capture(nameOf: (portId: string) => string): Promise<void> {
  const { rig } = useSession.getState();
  if (!rig || useCapture.getState().captured !== null) return;
  useCapture.setState({ captured: 0, stopping: false });
  const into = database;
  const now = Date.now();
  const stream: CapturedStream = {
    id: crypto.randomUUID(),
    rigId: rig.id,
    name: rig.name,
    startedAt: now,
    status: 'recording',
    messages: 0,
    durationMs: 0,
  };
  const zeroMs = performance.now();
  let durationMs = 0;
  try {
    await into.streams.add(stream);
    await hub.capture(true);
    for (let index = 0, count = 0; ; index++) {
      const last = useCapture.getState().stopping;
      if (!last) await new Promise((resolve) => setTimeout(resolve, WRITE_EVERY_MS));
      const taken = await hub.takeCaptured();
      const messages = taken.map(({ portId, direction, bytes, atMs }): CapturedMessage => {
        const at = Math.max(0, atMs - zeroMs);
        durationMs = Math.max(durationMs, at);
        return { atMs: at, direction, port: nameOf(portId), bytes };
      });
      count += messages.length;
      if (messages.length > 0) await into.pieces.add({ streamId: stream.id, index, messages });
      await into.streams.update(stream.id, { messages: count, durationMs });
      useCapture.setState({ captured: count });
      if (last || count >= MAX_KEPT_MESSAGES) break;
    }
    await into.streams.update(stream.id, { status: 'done' });
    showToast('Capture saved in the Logbook, under Files.');
  } catch (error) {
    showToast(
      `Capture stopped: ${error instanceof Error ? error.message : 'it couldn’t be saved'}. Messages captured so far are saved in the Logbook.`,
    );
  } finally {
    await hub.capture(false);
    useCapture.setState({ captured: null });
  }
}

export function stopCapture(): void {
  useCapture.setState({ stopping: true });
}

/** Plays one track of a capture into an input port of the hub. */
export async function playBack(stream: CapturedStream, track: string, portId: string): Promise<void> {
  const messages = (await messagesOf(database, stream.id))
    .filter((one) => trackOf(one) === track)
    .sort((a, b) => a.atMs - b.atMs)
    .map(({ atMs, bytes }) => ({ atMs, bytes }));
  await hub.playBack({ portId, messages, zeroMs: performance.now() + PLAY_LEAD_MS });
  useCapture.setState({ playing: { id: stream.id, left: messages.length } });
  for (;;) {
    await new Promise((resolve) => setTimeout(resolve, LOOK_EVERY_MS));
    const left = await hub.leftToPlay();
    if (useCapture.getState().playing?.id !== stream.id) return;
    useCapture.setState({ playing: left === 0 ? null : { id: stream.id, left } });
    if (left === 0) return;
  }
}

export async function stopPlayBack(): Promise<void> {
  await hub.playBack(null);
  useCapture.setState({ playing: null });
}

/** Track name: direction and port. */
export function trackOf({ direction, port }: Pick<CapturedMessage, 'direction' | 'port'>): string {
  return `${direction} ${port}`;
}
