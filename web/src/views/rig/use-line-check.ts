import { lineCheck, NO_EVIDENCE, type Evidence, type Finding, type SourceSnapshot } from '@metronomo/core';
import memoizeOne from 'memoize-one';
import { usePorts } from '../../ports/port-registry';
import { canDisconnect } from '../../ports/port-ids';
import { useMidiAccess } from '../../ports/web-midi';
import type { MidiPort } from '../../ports/port-adapter';
import { useSession } from '../../studio/session';
import type { Rig, Take } from '../../store/records';
import { planOf } from '../../store/rig-plan';
import { useTakes } from '../../studio/use-takes';
import { planOffsets } from '../../align/align-rows';

export interface LineCheck {
  open: Finding[];
  accepted: Finding[];
}

/** The current rig's findings. */
export function useLineCheck(): LineCheck {
  const rig = useSession(({ rig }) => rig);
  const { outputs, inputs, reconnected } = usePorts();
  const { access, inUse } = useMidiAccess();
  const takes = useTakes();
  const bufferMs = useSession(({ bufferMs }) => bufferMs);
  // Serialized, so that equal values keep their identity.
  const heard = useSession(({ snapshot }) =>
    JSON.stringify(snapshot.sources.map(({ gearId, portId, receiving }) => ({ gearId, portId, receiving }))),
  );
  return rig ? check(rig, takes, heard, access, outputs, inputs, inUse, reconnected, bufferMs) : NONE;
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
    bufferMs: number | null,
  ): LineCheck => {
    const standIns = rig.hubSockets.flatMap(({ portId }) => (portId && !canDisconnect(portId) ? [portId] : []));
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
      measured: measuredIn(rig, takes, bufferMs),
      ...receivingNow(rig, JSON.parse(heard) as Heard[]),
    });
    const isAccepted = ({ key }: Finding) => key in rig.accepted;
    return { open: found.filter((one) => !isAccepted(one)), accepted: found.filter(isAccepted) };
  },
);

type Heard = Pick<SourceSnapshot, 'gearId' | 'portId' | 'receiving'>;

/** Sync is expected only from the leader, on one of its cables. */
function receivingNow(rig: Rig, heard: readonly Heard[]): Pick<Evidence, 'receiving' | 'expects'> {
  const leader = rig.gear.find(({ id }) => id === rig.leaders[0]);
  const own = heard.filter(({ gearId }) => gearId === leader?.id);
  const best = own.find(({ receiving }) => receiving === leader?.leadsWith);
  const { portId, receiving } = best ?? own.find((one) => one.receiving !== 'nothing') ?? own[0] ?? {};
  if (!leader || !portId || !receiving) return { receiving: new Map(), expects: new Map() };
  return { receiving: new Map([[portId, receiving]]), expects: new Map([[portId, leader.leadsWith]]) };
}

function measuredIn(rig: Rig, takes: readonly Take[], bufferMs: number | null): Evidence['measured'] {
  const measured = new Map<string, 'holds' | { staleBecause: string }>();
  for (const { gear, now, known, stale } of planOffsets(rig, takes, { bufferMs }).rows) {
    if (stale) measured.set(gear.id, { staleBecause: stale });
    else if (now) measured.set(gear.id, 'holds');
    else if (known) measured.set(gear.id, { staleBecause: 'its offset has changed since then' });
  }
  return measured;
}
