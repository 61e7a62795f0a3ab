import type { FollowState } from '@metronomo/core';
import type { ReactNode } from 'react';

const WORDS: Record<FollowState, string> = {
  silent: 'Silent',
  settling: 'Settling',
  locked: 'Locked',
  freewheeling: 'Freewheeling',
  lost: 'Lost',
};

const INKS: Record<FollowState, string> = {
  silent: 'text-soft',
  settling: 'text-attention',
  locked: 'text-good',
  freewheeling: 'text-attention',
  lost: 'text-wrong',
};

/** A shape and a word; color only repeats them. `word` overrides the default. */
export function StateMark({ state, word = WORDS[state] }: { state: FollowState; word?: ReactNode }) {
  return (
    <span className="inline-flex items-center gap-2">
      <svg width="12" height="12" viewBox="0 0 12 12" aria-hidden className={INKS[state]}>
        {shape(state)}
      </svg>
      {word}
    </span>
  );
}

function shape(state: FollowState) {
  switch (state) {
    case 'locked':
      return <circle cx="6" cy="6" r="5" fill="currentColor" />;
    case 'settling':
      return (
        <>
          <circle cx="6" cy="6" r="4.5" fill="none" stroke="currentColor" />
          <path d="M6 1.5a4.5 4.5 0 0 0 0 9z" fill="currentColor" />
        </>
      );
    case 'freewheeling':
      return <circle cx="6" cy="6" r="4.5" fill="none" stroke="currentColor" strokeWidth="1.5" strokeDasharray="3 2" />;
    case 'silent':
      return <circle cx="6" cy="6" r="4.5" fill="none" stroke="currentColor" strokeWidth="1.5" />;
    case 'lost':
      return <path d="M2 2l8 8M10 2l-8 8" stroke="currentColor" strokeWidth="2" />;
  }
}
