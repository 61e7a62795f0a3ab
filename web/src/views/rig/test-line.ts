import { answersTest, lineTestBytes, type LineTest, type LineTestKind } from '@metronomo/core';
import { changeRig, hub, useSession } from '../../hub/session';
import type { LineTestResult } from '../../store/records';

/** Listening time before the test: messages that arrive anyway aren't a response. */
const BEFORE_MS = 600;
const LEAD_MS = 120;
/** Two beats of a burst, and the slowest gear. */
const PATIENCE_MS = 3000;
const LOOK_EVERY_MS = 50;

export type Answer = LineTestResult['answer'] | 'ask';

export class LineTestError extends Error {
  override readonly name = 'LineTestError';
}

/**
 * Sends a test message down a line and watches for the response. Without an audio return or a MIDI reply, the musician
 * has to be asked.
 * @throws LineTestError during playback, when a response can't be told from the music.
 */
export async function testLine(test: LineTest, kind: LineTestKind): Promise<Answer> {
  const { snapshot, rig } = useSession.getState();
  const gear = rig?.gear.find(({ id }) => id === test.gearId);
  if (!gear) throw new LineTestError('This device is no longer in the rig, so nothing was sent. Choose another line.');
  if (snapshot.state !== 'stopped')
    throw new LineTestError(
      'Can’t test a line during playback, because the response would be lost in the music. Stop, then test again.',
    );
  const { answersAt, hearsAt } = test;
  await hub.keepArrivals(answersAt);
  const quietFromMs = performance.now();
  await delay(BEFORE_MS);
  const chatter = (await hub.keepArrivals(answersAt)).some(({ message }) => answersTest(kind, message));
  const loud = hearsAt !== null && hitAfter(hearsAt, quietFromMs);
  const atMs = performance.now() + LEAD_MS;
  const channel = gear.set.channels[0] ?? 1;
  const bytes = lineTestBytes(kind, { channel, clockRuns: gear.clockWhileStopped && gear.syncsTo === 'clock', atMs });
  await hub.sendTest(bytes.map((one) => ({ ...one, portId: test.portId })));
  const watchesSound = hearsAt !== null && !loud && kind !== 'identity request' && kind !== 'full frame';
  const watchesMidi = answersAt !== null && !chatter;
  let answer: Answer = watchesSound || watchesMidi ? 'nothing' : 'ask';
  for (let waited = 0; waited < LEAD_MS + PATIENCE_MS && answer === 'nothing'; waited += LOOK_EVERY_MS) {
    await delay(LOOK_EVERY_MS);
    if (watchesSound && hitAfter(hearsAt, atMs)) answer = 'sound';
    const arrived = watchesMidi ? await hub.keepArrivals(answersAt) : [];
    if (arrived.some(({ message }) => answersTest(kind, message))) answer = 'midi';
  }
  await hub.keepArrivals(null);
  if (answer !== 'ask') await storeAnswer(test.cableId, kind, answer);
  return answer;
}

export function storeAnswer(cableId: string, kind: LineTestKind, answer: LineTestResult['answer']): Promise<void> {
  return changeRig((rig) => ({ ...rig, tested: { ...rig.tested, [cableId]: { kind, answer, at: Date.now() } } }));
}

function hitAfter(channel: number, ms: number): boolean {
  const hitMs = useSession.getState().live?.readings[channel]?.lastHitMs ?? null;
  return hitMs !== null && hitMs >= ms;
}

function delay(ms: number): Promise<void> {
  return new Promise((resolve) => setTimeout(resolve, ms));
}
