import { answersTest, lineTestBytes, type LineTest, type LineTestKind } from '@metronomo/core';
import { collecting, type Look } from '../flows/collecting';
import type { Gear, LineTestResult } from '../store/records';
import { changeRig } from '../studio/rig';
import { useSession } from '../studio/session';
import { hub } from '../studio/workers';
import { FlowDesk } from './flow-desk';
import { does, runFlow } from './run-flow';

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

const desk = new FlowDesk();

/**
 * Sends a test message down a line and watches for the response. Without an audio return or a MIDI reply, the musician
 * has to be asked.
 * @throws LineTestError during playback, when a response can't be told from the music, or if a port is lost meanwhile.
 */
export async function testLine(test: LineTest, kind: LineTestKind): Promise<Answer> {
  const gear = useSession.getState().rig?.gear.find(({ id }) => id === test.gearId);
  const line = new LineListener(test, kind);
  const measured = await desk.run<string | null, Answer>({
    needs: {
      ports: [test.portId, test.answersAt].flatMap((portId) =>
        portId === null ? [] : [{ portId, sentence: (name: string) => `${name} was disconnected during the test.` }],
      ),
      input: false,
      motion: false,
    },
    prepare() {
      if (!gear) throw new Error('This device is no longer in the rig, so nothing was sent. Choose another line.');
      if (useSession.getState().snapshot.state !== 'stopped')
        throw new Error(
          'Can’t test a line during playback, because the response would be lost in the music. Stop, then test again.',
        );
    },
    start: () => undefined,
    capture: () => {
      const machine = collecting.provide({
        actors: {
          open: does(() => line.open()),
          look: does(() => line.look(gear as Gear)),
          close: does(() => line.close()),
        },
      });
      return runFlow(machine, { input: { everyMs: LOOK_EVERY_MS } });
    },
    async analyze(ending) {
      if (ending !== null) throw new Error(ending);
      if (line.answer !== 'ask') await storeAnswer(test.cableId, kind, line.answer);
      return line.answer;
    },
    recover: () => Promise.resolve(null),
    restore: () => line.close(),
  });
  if (!measured) throw new LineTestError('Another line is being tested. Wait until that test is over.');
  if (measured.result === null) throw new LineTestError(measured.problem ?? 'The line couldn’t be tested. Try again.');
  return measured.result;
}

export function storeAnswer(cableId: string, kind: LineTestKind, answer: LineTestResult['answer']): Promise<void> {
  return changeRig((rig) => ({ ...rig, tested: { ...rig.tested, [cableId]: { kind, answer, at: Date.now() } } }));
}

/** Listens to a quiet line, sends the test, and waits for a response. */
class LineListener {
  answer: Answer = 'nothing';
  readonly #test: LineTest;
  readonly #kind: LineTestKind;
  #beganMs = 0;
  #chatter = false;
  #sentMs: number | null = null;
  #watchesSound = false;
  #watchesMidi = false;

  constructor(test: LineTest, kind: LineTestKind) {
    this.#test = test;
    this.#kind = kind;
  }

  async open(): Promise<void> {
    await hub.keepArrivals(this.#test.answersAt);
    this.#beganMs = performance.now();
  }

  async look(gear: Gear): Promise<Look> {
    const { answersAt, hearsAt } = this.#test;
    const arrived = await hub.keepArrivals(answersAt);
    const answered = arrived.some(({ message }) => answersTest(this.#kind, message));
    const nowMs = performance.now();
    if (this.#sentMs === null) {
      this.#chatter ||= answered;
      if (nowMs - this.#beganMs >= BEFORE_MS) await this.#send(gear, nowMs + LEAD_MS);
      return { done: this.answer === 'ask' };
    }
    if (this.#watchesSound && hearsAt !== null && hitAfter(hearsAt, this.#sentMs)) this.answer = 'sound';
    if (this.#watchesMidi && answered) this.answer = 'midi';
    return { done: this.answer !== 'nothing' || nowMs > this.#sentMs + PATIENCE_MS };
  }

  async close(): Promise<void> {
    await hub.keepArrivals(null);
  }

  async #send({ set, clockWhileStopped, syncsTo }: Gear, atMs: number): Promise<void> {
    const { portId, answersAt, hearsAt } = this.#test;
    const kind = this.#kind;
    const loud = hearsAt !== null && hitAfter(hearsAt, this.#beganMs);
    this.#watchesSound = hearsAt !== null && !loud && kind !== 'identity request' && kind !== 'full frame';
    this.#watchesMidi = answersAt !== null && !this.#chatter;
    if (!this.#watchesSound && !this.#watchesMidi) this.answer = 'ask';
    this.#sentMs = atMs;
    const clockRuns = clockWhileStopped && syncsTo === 'clock';
    const bytes = lineTestBytes(kind, { channel: set.channels[0] ?? 1, clockRuns, atMs });
    await hub.sendTest(bytes.map((one) => ({ ...one, portId })));
  }
}

function hitAfter(channel: number, ms: number): boolean {
  const hitMs = useSession.getState().live?.readings[channel]?.lastHitMs ?? null;
  return hitMs !== null && hitMs >= ms;
}
