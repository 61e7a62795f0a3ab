import { create } from 'zustand';
import type { TakeProgress } from '../measure/protocol';
import type { Take } from '../store/records';

export type TakeFlow =
  | { state: 'idle'; problem: string | null }
  | { state: 'settling' | 'recording' | 'measuring'; progress: TakeProgress | null; words?: string };

/** The current take, if any. */
export const useTakeFlow = create<{ flow: TakeFlow; latest: Take | null }>(() => ({
  flow: { state: 'idle', problem: null },
  latest: null,
}));
