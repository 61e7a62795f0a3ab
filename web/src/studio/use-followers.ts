import { useMemo } from 'react';
import type { FollowState, ReturnReading } from '@metronomo/core';
import { useShallow } from 'zustand/react/shallow';
import { ownReturn } from '../store/gear';
import type { Gear } from '../store/records';
import { canDisconnect } from '../ports/port-ids';
import { usePorts } from '../ports/port-registry';
import { useSession } from './session';

export interface Follower {
  gear: Gear;
  /** It has an audio return of its own. */
  isHeard: boolean;
  /** Null if it isn't heard. */
  reading: ReturnReading | null;
  state: FollowState;
  /** Nothing but the click has been heard on its return. */
  onlyClick: boolean;
  /** Its port is known but disconnected. */
  portGone: boolean;
  /** Messages sent late on its port. */
  late: number;
  /** Tempo of the clock it sends back, if any. */
  clockBpm: number | null;
}

/** Every follower with its latest return reading. */
export function useFollowers(): Follower[] {
  const gear = useSession(({ rig }) => rig?.gear);
  const live = useSession(({ live }) => live);
  const stopped = useSession(({ snapshot }) => snapshot.state === 'stopped');
  const { outputs, lateAt } = usePorts();
  const clocks = useSession(
    useShallow(({ snapshot }) =>
      Object.fromEntries(
        snapshot.sources.flatMap(({ gearId, receiving, bpm }) =>
          receiving === 'clock' && bpm ? [[gearId, hundredths(bpm)]] : [],
        ),
      ),
    ),
  );
  const leader = useSession(({ rig, snapshot }) =>
    rig?.takeOver === 'whoeverPlays' ? snapshot.leader : rig?.leaders[0],
  );
  return useMemo(() => {
    const follows = (gear ?? []).filter(({ id, syncsTo }) => syncsTo !== 'nothing' && id !== leader);
    return follows.map((one) => {
      const channel = ownReturn(gear ?? [], one);
      const reading = channel === null ? null : (live?.readings[channel] ?? null);
      const port = outputs.find(({ id }) => id === one.portId);
      const portGone = one.portId !== null && canDisconnect(one.portId) && port?.connected !== true;
      const late = one.portId === null ? 0 : (lateAt[one.portId] ?? 0);
      const clockBpm = clocks[one.id] ?? null;
      const state = positionError(reading, stopped);
      const isHeard = channel !== null;
      return { gear: one, isHeard, reading, state, onlyClick: isOnlyClick(reading), portGone, late, clockBpm };
    });
  }, [gear, live, stopped, outputs, lateAt, clocks, leader]);
}

/** As displayed; smaller changes needn't re-render. */
function hundredths(bpm: number): number {
  return Math.round(100 * bpm) / 100;
}

/** A follower that is silent because the hub is stopped isn't lost. */
function positionError(reading: ReturnReading | null, stopped: boolean): FollowState {
  if (!reading || (stopped && reading.state === 'lost')) return 'silent';
  return reading.state;
}

function isOnlyClick(reading: ReturnReading | null): boolean {
  return reading !== null && reading.bleedDb !== null && reading.lastHitMs === null;
}
