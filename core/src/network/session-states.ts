/** Reason of a declined session; marks peers that aren't re-invited automatically. */
export const REFUSED = 'Declined by peer';

/**
 * The life of a session as a transition table. `calling` and `callingData`: we invited, and wait for a reply on the
 * control or the data port. `ringing`: we were invited, and the user decides. `expecting`: accepted, and waiting for
 * the peer on the data port.
 */
export type SessionState = 'calling' | 'callingData' | 'ringing' | 'expecting' | 'open' | 'ended';

export type SessionEvent =
  | 'accepted on control'
  | 'accepted on data'
  | 'invited on data'
  | 'accept'
  | 'refused'
  | 'ended by peer'
  | 'leave'
  | 'no answer';

export const TRANSITIONS: Readonly<Record<SessionState, Partial<Record<SessionEvent, SessionState>>>> = {
  calling: {
    'accepted on control': 'callingData',
    refused: 'ended',
    'ended by peer': 'ended',
    leave: 'ended',
    'no answer': 'ended',
  },
  callingData: {
    'accepted on data': 'open',
    refused: 'ended',
    'ended by peer': 'ended',
    leave: 'ended',
    'no answer': 'ended',
  },
  ringing: { accept: 'expecting', leave: 'ended', 'ended by peer': 'ended', 'no answer': 'ended' },
  expecting: { 'invited on data': 'open', leave: 'ended', 'ended by peer': 'ended', 'no answer': 'ended' },
  open: { 'ended by peer': 'ended', leave: 'ended', 'no answer': 'ended' },
  ended: {},
};
