import { useMemo } from 'react';
import type { FollowState, ReturnReading } from '@metronomo/core';
import { useShallow } from 'zustand/react/shallow';
import type { Gear } from '../store/records';
import { isMidiPort, useMidiPorts } from './midi-ports';
import { useSession } from './session';

export interface Follower {
  gear: Gear;
  /** Null where no input hears it. */
  reading: ReturnReading | null;
  state: FollowState;
  /** Its port is known and not here. */
  portGone: boolean;
  /** Messages that were handed to its port after they were due. */
  late: number;
  /** The tempo that it sends back as clock, where it does. */
  clockBpm: number | null;
}

/** Each piece of gear that takes its time from somebody, with what its return says just now. */
export function useFollowers(): Follower[] {
  const gear = useSession(({ rig }) => rig?.gear);
  const live = useSession(({ live }) => live);
  const stopped = useSession(({ snapshot }) => snapshot.state === 'stopped');
  const { outputs, lateAt } = useMidiPorts();
  const clocks = useSession(
    useShallow(({ snapshot }) =>
      Object.fromEntries(
        snapshot.sources.map(({ id, arrives, bpm }) => [id, arrives === 'clock' && bpm ? hundredths(bpm) : null]),
      ),
    ),
  );
  const leader = useSession(({ rig }) => rig?.leaders[0]);
  return useMemo(() => {
    const follows = (gear ?? []).filter(({ id, takes }) => takes !== 'nothing' && id !== leader);
    return follows.map((one) => {
      const reading = one.returnChannel === null ? null : (live?.readings[one.returnChannel] ?? null);
      const port = outputs.find(({ id }) => id === one.portId);
      const portGone = one.portId !== null && isMidiPort(one.portId) && port?.connected !== true;
      const late = one.portId === null ? 0 : (lateAt[one.portId] ?? 0);
      const clockBpm = clocks[one.id] ?? null;
      return { gear: one, reading, state: standing(reading, stopped), portGone, late, clockBpm };
    });
  }, [gear, live, stopped, outputs, lateAt, clocks, leader]);
}

/** As it is shown: a screen need not be drawn again for less. */
function hundredths(bpm: number): number {
  return Math.round(100 * bpm) / 100;
}

/** A follower that plays nothing because the hub stands still is not lost. */
function standing(reading: ReturnReading | null, stopped: boolean): FollowState {
  if (!reading || (stopped && reading.state === 'lost')) return 'silent';
  return reading.state;
}
