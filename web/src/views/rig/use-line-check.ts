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

/** What is wrong with the rig in use, or not yet proved, as far as it is known now. */
export function useLineCheck(): LineCheck {
  const rig = useSession(({ rig }) => rig);
  const { access, outputs, inputs, inUse, cameBack } = useMidiPorts();
  const takes = useTakes();
  // As text, so that it is the same as long as it says the same.
  const heard = useSession(({ snapshot }) => JSON.stringify(snapshot.sources.map(({ id, arrives }) => [id, arrives])));
  return rig ? check(rig, takes, heard, access, outputs, inputs, inUse, cameBack) : NOTHING;
}

const NOTHING: LineCheck = { open: [], accepted: [] };

/** Several places of the screen ask at once: it is computed once for all. */
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
      portsHere: access === 'granted' || rig.demo ? new Set([...standIns, ...here]) : null,
      portsInUse: inUse,
      cameBack: new Set(rig.gear.filter(({ portId }) => portId !== null && cameBack.has(portId)).map(({ id }) => id)),
      unanswered: new Set(Object.keys(rig.tested).filter((id) => rig.tested[id]?.answer === 'nothing')),
      measured: measuredIn(rig, takes),
      ...whatIsHeard(rig, JSON.parse(heard) as [string, 'nothing' | 'clock' | 'timecode'][]),
    });
    const isAccepted = ({ key }: Finding) => key in rig.accepted;
    return { open: found.filter((one) => !isAccepted(one)), accepted: found.filter(isAccepted) };
  },
);

/** Only the one that is to lead is waited for. */
function whatIsHeard(
  rig: Rig,
  heard: [string, 'nothing' | 'clock' | 'timecode'][],
): Pick<Evidence, 'arrives' | 'waitsFor'> {
  const leader = rig.gear.find(({ id }) => id === rig.leaders[0]);
  const into = rig.cables.find(({ from, to }) => to.gearId === HUB_ID && from.gearId === leader?.id);
  const portId = rig.hubSockets.find(({ id }) => id === into?.to.socketId)?.portId;
  const arrives = heard.find(([id]) => id === leader?.id)?.[1];
  if (!leader || !portId || !arrives) return { arrives: new Map(), waitsFor: new Map() };
  return { arrives: new Map([[portId, arrives]]), waitsFor: new Map([[portId, leader.gives]]) };
}

function measuredIn(rig: Rig, takes: readonly Take[]): Evidence['measured'] {
  const measured = new Map<string, 'holds' | { staleBecause: string }>();
  for (const { gear, now, known, stale } of planOffsets(rig, takes).rows) {
    if (stale) measured.set(gear.id, { staleBecause: stale });
    else if (now) measured.set(gear.id, 'holds');
    else if (known) measured.set(gear.id, { staleBecause: 'its offset was changed since' });
  }
  return measured;
}
