import { HUB_ID, lineCheck, NO_EVIDENCE, type Evidence, type Finding } from '@metronomo/core';
import memoizeOne from 'memoize-one';
import { useMidiPorts, type MidiPort } from '../../hub/midi-ports';
import { useSession } from '../../hub/session';
import type { Rig, Take } from '../../store/records';
import { planOf } from '../../store/rig-plan';
import { useTakes } from '../../store/use-takes';
import { planOffsets } from '../../align/align-rows';

export interface LineCheck {
  open: Finding[];
  accepted: Finding[];
}

/** The current rig's findings. */
export function useLineCheck(): LineCheck {
  const rig = useSession(({ rig }) => rig);
  const { access, outputs, inputs, inUse, reconnected } = useMidiPorts();
  const takes = useTakes();
  // Serialized, so that equal values keep their identity.
  const heard = useSession(({ snapshot }) =>
    JSON.stringify(snapshot.sources.map(({ id, receiving }) => [id, receiving])),
  );
  return rig ? check(rig, takes, heard, access, outputs, inputs, inUse, reconnected) : NONE;
}

const NONE: LineCheck = { open: [], accepted: [] };

/** Memoized: several components need it at once. */
const check = memoizeOne(
  (
    rig: Rig,
    takes: readonly Take[],
    heard: string,
    access: string,
    outputs: readonly MidiPort[],
    inputs: readonly MidiPort[],
    inUse: ReadonlySet<string>,
    cameBack: ReadonlySet<string>,
  ): LineCheck => {
    const standIns = rig.hubSockets.flatMap(({ portId }) => (portId?.startsWith('boathouse') ? [portId] : []));
    const here = [...outputs, ...inputs].filter(({ connected }) => connected).map(({ id }) => id);
    const found = lineCheck(planOf(rig), {
      ...NO_EVIDENCE,
      bpm: rig.bpm,
      connectedPorts: access === 'granted' || rig.demo ? new Set([...standIns, ...here]) : null,
      portsInUse: inUse,
      reconnected: new Set(
        rig.gear.filter(({ portId }) => portId !== null && cameBack.has(portId)).map(({ id }) => id),
      ),
      unanswered: new Set(Object.keys(rig.tested).filter((id) => rig.tested[id]?.answer === 'nothing')),
      measured: measuredIn(rig, takes),
      ...receivingNow(rig, JSON.parse(heard) as [string, 'nothing' | 'clock' | 'timecode'][]),
    });
    const isAccepted = ({ key }: Finding) => key in rig.accepted;
    return { open: found.filter((one) => !isAccepted(one)), accepted: found.filter(isAccepted) };
  },
);

/** Sync is expected only from the leader. */
function receivingNow(
  rig: Rig,
  heard: [string, 'nothing' | 'clock' | 'timecode'][],
): Pick<Evidence, 'receiving' | 'expects'> {
  const leader = rig.gear.find(({ id }) => id === rig.leaders[0]);
  const into = rig.cables.find(({ from, to }) => to.gearId === HUB_ID && from.gearId === leader?.id);
  const portId = rig.hubSockets.find(({ id }) => id === into?.to.socketId)?.portId;
  const received = heard.find(([id]) => id === leader?.id)?.[1];
  if (!leader || !portId || !received) return { receiving: new Map(), expects: new Map() };
  return { receiving: new Map([[portId, received]]), expects: new Map([[portId, leader.leadsWith]]) };
}

function measuredIn(rig: Rig, takes: readonly Take[]): Evidence['measured'] {
  const measured = new Map<string, 'holds' | { staleBecause: string }>();
  for (const { gear, now, known, stale } of planOffsets(rig, takes).rows) {
    if (stale) measured.set(gear.id, { staleBecause: stale });
    else if (now) measured.set(gear.id, 'holds');
    else if (known) measured.set(gear.id, { staleBecause: 'its offset has changed since then' });
  }
  return measured;
}
