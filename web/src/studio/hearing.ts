import { create } from 'zustand';
import { useListening } from '../audio/listening';
import { BOATHOUSE_SOURCE } from '../store/boathouse';
import { listTakes } from '../store/takes';
import { showToast } from '../toasts/toast-store';
import { whole } from '../words/numbers';
import { inputDesk } from './input';
import { useSession } from './session';

/** Bleed above this may have come from the speakers, dB. */
const HEARD_DB = -50;
const TAKES_LOOKED_AT = 5;
const MICROPHONE = /\b(mic|microphone)\b/i;

interface Question {
  /** Why sound may go round. */
  why: string;
  solo: number | null;
}

/** Asked before inputs are heard, once for each of them. */
export const useHearing = create<{ question: Question | null }>(() => ({ question: null }));

const confirmed = new Set<string>();

/** Plays the open input through the page; `solo`: only this return. Asks first, as sound may go round and howl. */
export async function askToHear(solo: number | null = null): Promise<void> {
  const { input, rig } = useSession.getState();
  if (!input || !rig) return;
  if (input.fromTrack) {
    showToast('Browsers play at most two inputs through a page. Use your interface’s direct monitoring.');
    return;
  }
  if (confirmed.has(rig.input.sourceId)) await hear(solo);
  else useHearing.setState({ question: { why: await whyLoop(rig.id, input.label), solo } });
}

export async function answerHearing(yes: boolean): Promise<void> {
  const { question } = useHearing.getState();
  const { rig } = useSession.getState();
  useHearing.setState({ question: null });
  if (!yes || !question || !rig) return;
  confirmed.add(rig.input.sourceId);
  await hear(question.solo);
}

async function hear(solo: number | null): Promise<void> {
  const { rig } = useSession.getState();
  const isHeard = await inputDesk.hear(() => {
    // Next time it is asked again.
    if (rig) confirmed.delete(rig.input.sourceId);
    showToast('Inputs were muted, because sound went round from the speakers to the input. Use headphones.');
  });
  if (isHeard) useListening.setState({ on: true, solo });
  else if (inputDesk.isMeasuring)
    showToast('Inputs can’t be heard during a take, because the click has to be on time. Wait until it is over.');
}

/** Hears one return alone with the click, or all again. Real inputs have to be played through the page for that. */
export function hearAlone(channel: number): void {
  const { solo, input } = useListening.getState();
  const { rig } = useSession.getState();
  if (input || rig?.input.sourceId === BOATHOUSE_SOURCE)
    useListening.setState({ solo: solo === channel ? null : channel });
  else void askToHear(channel);
}

async function whyLoop(rigId: string, label: string): Promise<string> {
  const takes = await listTakes(rigId, TAKES_LOOKED_AT);
  const bleed = takes
    .filter(({ source }) => source === label)
    .flatMap(({ lines }) => lines.map(({ report }) => report?.bleedDb ?? -Infinity))
    .reduce((most, one) => Math.max(most, one), -Infinity);
  if (bleed > HEARD_DB) return `A recent take heard the hub’s click on this input at ${whole(bleed)} dB.`;
  return MICROPHONE.test(label) ? 'This input is a microphone.' : `${label} may hear your speakers.`;
}
