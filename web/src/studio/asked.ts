import { create } from 'zustand';

/** The question chosen on the Bench, and how many times one was chosen. */
export const useAsked = create<{ asked: string; times: number }>(() => ({ asked: 'latency', times: 0 }));

/** Chooses a question. */
export function ask(question: string): void {
  useAsked.setState(({ times }) => ({ asked: question, times: times + 1 }));
}

/** Returns whether no other question was chosen since: a result must not take anyone away from where they went. */
export function staysOnQuestion(): () => boolean {
  const { times } = useAsked.getState();
  return () => useAsked.getState().times === times;
}
