import type { FollowState } from '@metronomo/core';
import type { NetworkSession } from '../network/api';
import { StateMark } from './state-mark';

interface Props {
  session: NetworkSession | undefined;
  weInvite: boolean;
}

/** State of a session with a peer: a shape and a word or two. */
export function SessionMark({ session, weInvite }: Props) {
  const [state, word] = stateOf(session, weInvite);
  return <StateMark state={state} word={word} />;
}

function stateOf(session: NetworkSession | undefined, weInvite: boolean): [FollowState, string] {
  switch (session?.state) {
    case 'open':
      return ['locked', 'Connected'];
    case 'calling':
    case 'callingData':
      return ['settling', 'Inviting…'];
    case 'ringing':
      return ['settling', 'Invites you'];
    case 'expecting':
      return ['settling', 'Connecting…'];
    case 'ended':
      return ['lost', session.reason ?? 'Disconnected'];
    case undefined:
      return ['silent', weInvite ? 'Not connected' : 'Waiting for peer'];
  }
}
