/** Why a session ended that the other side did not want; by this it is known not to ask again. */
export const REFUSED = 'it refused';

/**
 * The life of a session, as a table: what moves it from where to where. `calling` and `callingData`: we invited, and wait for the
 * control port or the data port to answer. `ringing`: we were invited, and a person decides. `expecting`: accepted, and the
 * data port is still to be knocked at.
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
