import { compareLeaders, HUB_ID } from '@metronomo/core';
import { useMemo } from 'react';
import { leaderFigures, type LeaderFigures } from '../store/leader-figures';
import type { Rig } from '../store/records';
import { planOf } from '../store/rig-plan';
import { useSession } from './session';
import { sourcesOf } from './sources';
import { useClockTakes } from './use-clock-takes';
import { useTakes } from './use-takes';

/** Somebody who may lead in a trial, with the input port of its sync; the hub has none. */
export interface TrialCandidate {
  id: string;
  name: string;
  portId: string | null;
}

/** The hub, and all gear whose sync can lead and arrives at the hub. */
export function trialCandidates(rig: Rig): TrialCandidate[] {
  const sources = sourcesOf(rig);
  const able = compareLeaders(planOf(rig)).filter(({ canLead, throughHub }) => canLead && throughHub);
  return able.flatMap(({ gearId }): TrialCandidate[] => {
    if (gearId === HUB_ID) return [{ id: HUB_ID, name: 'Hub', portId: null }];
    const { name } = rig.gear.find(({ id }) => id === gearId) ?? {};
    const source = sources.find((one) => (one.gearId ?? one.id) === gearId);
    return name !== undefined && source ? [{ id: gearId, name, portId: source.portId }] : [];
  });
}

/** What was measured while each of them led; live. */
export function useLeaderFigures(ids: readonly string[]): LeaderFigures[] {
  const takes = useTakes();
  const clockTakes = useClockTakes();
  return useMemo(() => leaderFigures(ids, takes, clockTakes), [ids, takes, clockTakes]);
}

export function useTrialCandidates(): TrialCandidate[] {
  const rig = useSession(({ rig }) => rig);
  return useMemo(() => (rig ? trialCandidates(rig) : []), [rig]);
}
