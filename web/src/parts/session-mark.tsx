import type { FollowState } from '@metronomo/core';
import type { NetworkSession } from '../network/api';
import { StateMark } from './state-mark';

interface Props {
  session: NetworkSession | undefined;
  weInvite: boolean;
}

/** How a session with a peer stands: a shape and a word or two. */
export function SessionMark({ session, weInvite }: Props) {
  const [state, word] = standing(session, weInvite);
  return <StateMark state={state} word={word} />;
}

function standing(session: NetworkSession | undefined, weInvite: boolean): [FollowState, string] {
  switch (session?.state) {
    case 'open':
      return ['locked', 'open'];
    case 'calling':
    case 'callingData':
      return ['settling', 'is invited …'];
    case 'ringing':
    case 'expecting':
      return ['settling', 'begins …'];
    case 'ended':
      return ['lost', session.reason ?? 'ended'];
    case undefined:
      return ['silent', weInvite ? 'not there' : 'has not come'];
  }
}
