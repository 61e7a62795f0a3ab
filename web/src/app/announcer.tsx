import { useEffect, useRef, useState } from 'react';
import { useTakeFlow } from '../flow-effects/take-state';
import { resultText } from '../parts/take-words';
import type { Rig } from '../store/records';
import { useSession } from '../studio/session';
import { useFollowers } from '../studio/use-followers';
import { count, whole } from '../words/numbers';
import { lockWords, offsetWords, type Standing } from './change-words';

/** A held arrow key changes an offset many times a second: only where it ends is announced. */
const AT_REST_MS = 600;
const PROGRESS_EVERY_MS = 10_000;

/** Tells screen readers what others see change: politely, and seldom. */
export function Announcer() {
  const [text, setText] = useState('');
  const followers = useFollowers();
  const playing = useSession(({ snapshot }) => snapshot.state === 'rolling');
  const toldOf = useRef<Standing | null>(null);
  useEffect(() => {
    const heard = followers.filter(({ isHeard }) => isHeard);
    const now = { playing, followers: heard.map(({ gear: { name }, state }) => ({ name, state })) };
    const words = toldOf.current && lockWords(toldOf.current, now);
    toldOf.current = now;
    if (words) setText(words);
  }, [followers, playing]);
  useEffect(() => tellOffsets(setText), []);
  useEffect(() => tellTakes(setText), []);
  return (
    <p role="status" className="sr-only">
      {text}
    </p>
  );
}

/** Where offsets come to rest. */
function tellOffsets(tell: (words: string) => void): () => void {
  let before: Rig | null = useSession.getState().rig;
  let timer: ReturnType<typeof setTimeout> | undefined;
  const end = useSession.subscribe(({ rig }) => {
    if (rig === before) return;
    if (rig?.id !== before?.id) before = rig;
    clearTimeout(timer);
    timer = setTimeout(() => {
      const words = before && rig && offsetWords(before.gear, rig.gear);
      before = rig;
      if (words) tell(words);
    }, AT_REST_MS);
  });
  return () => {
    end();
    clearTimeout(timer);
  };
}

/** The progress of a take now and then, and its first number. */
function tellTakes(tell: (words: string) => void): () => void {
  let toldMs = -Infinity;
  return useTakeFlow.subscribe(({ flow, latest }, before) => {
    if (latest && latest !== before.latest) {
      const [first] = latest.lines;
      const rest = latest.lines.length - 1;
      const result = first ? ` ${first.name}: ${resultText(latest, first)}` : '';
      tell(`Take done.${result}${rest > 0 ? `, and ${count(rest, 'more', 'more')}` : ''}.`);
      return;
    }
    if (flow.state !== 'recording' || !flow.progress || performance.now() - toldMs < PROGRESS_EVERY_MS) return;
    toldMs = performance.now();
    tell(`Measuring, ${whole(flow.progress.capturedSeconds)} of ${whole(flow.progress.wantedSeconds)} s.`);
  });
}
