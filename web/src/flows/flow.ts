import { fromPromise, type PromiseActorLogic } from 'xstate';

/** What may happen to any flow from outside, in any state. */
export type FromOutside =
  /** The musician wants no more of it; what there is will do. */
  | { type: 'END' }
  /** An input, a port, a worker or the hub's motion was lost. */
  | { type: 'LOST'; why: string };

/** What a recorder made; null if it never began. */
export interface Recorded {
  recorded: unknown;
}

/** An effect that a machine asks for; whoever runs the machine provides it. */
export function effect<Output = unknown, Input = void>(): PromiseActorLogic<Output, Input> {
  return fromPromise<Output, Input>(() => Promise.reject(new Error('Nobody provides this effect.')));
}

/** An action that a machine asks for; whoever runs the machine provides it. */
export function action<Params>(): (_: unknown, params: Params) => void {
  return () => undefined;
}
