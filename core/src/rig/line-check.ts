import type { FrameRate } from '../timecode/timecode';
import { destinationsOf, lineTraffic, type Traffic } from './line-traffic';
import {
  cablesFrom,
  cablesTo,
  gearOf,
  HUB_ID,
  socketOf,
  type Cable,
  type OffsetPlace,
  type RigGear,
  type RigPlan,
} from './rig';
import { planWires, portsOfGear, type WireConflictKind } from './plan-wires';
import { findLoop, followers, generatesSync, syncPaths } from './sync-paths';

/** Live evidence about the rig; all of it may be missing. */
export interface Evidence {
  bpm: number;
  /** Ids of connected ports; null if MIDI access was never requested. */
  connectedPorts: ReadonlySet<string> | null;
  /** Ports held by another app. */
  portsInUse: ReadonlySet<string>;
  /** Sync arriving at each input port, by id. */
  receiving: ReadonlyMap<string, 'nothing' | 'clock' | 'timecode'>;
  /** Sync expected at each input port, by id. */
  expects: ReadonlyMap<string, 'clock' | 'timecode'>;
  /** Gear whose port was reconnected since it was last started. */
  reconnected: ReadonlySet<string>;
  /** Cables whose line test got no response. */
  unanswered: ReadonlySet<string>;
  /** Measured gear, and whether the measurement is still valid. */
  measured: ReadonlyMap<string, 'holds' | { staleBecause: string }>;
}

export const NO_EVIDENCE: Evidence = {
  bpm: 120,
  connectedPorts: null,
  portsInUse: new Set(),
  receiving: new Map(),
  expects: new Map(),
  reconnected: new Set(),
  unanswered: new Set(),
  measured: new Map(),
};

export type Severity = 'wrong' | 'attention' | 'unproved';

/** A change to the rig that fixes a finding and can be made with a button. */
export type Cure =
  | { kind: 'lead'; gearId: string }
  | { kind: 'menu'; gearId: string; set: Partial<RigGear['set']> }
  | { kind: 'syncTo'; gearId: string; syncsTo: RigGear['syncsTo'] }
  | { kind: 'rate'; gearId: string; rate: FrameRate }
  | { kind: 'clockWhileStopped'; gearId: string }
  | { kind: 'listenFor'; portId: string; language: 'clock' | 'timecode' }
  | { kind: 'channels'; gearId: string; channels: number[] }
  | { kind: 'offsetOnlyInHub'; gearId: string }
  | { kind: 'throughHub'; gearId: string }
  | { kind: 'rejoin'; gearId: string }
  | { kind: 'measure'; gearId: string };

/** What a rule found. The interface puts it into words. */
export type Seen =
  | { rule: 'nobody leads' }
  | { rule: 'two lead'; others: string[] }
  | { rule: 'loop'; through: string[] }
  | { rule: 'set to internal' }
  | { rule: 'cannot lead' }
  | { rule: 'does not speak'; language: 'clock' | 'timecode'; speaks: ('clock' | 'timecode')[] }
  | { rule: 'other frame rate'; sent: FrameRate; knows: readonly FrameRate[] }
  | { rule: 'waits for the other'; portId: string; waitsFor: 'clock' | 'timecode'; arrives: 'clock' | 'timecode' }
  | {
      rule: 'nothing arrives';
      cause: 'no cable' | 'port gone' | 'no port' | 'clock out is off' | 'clock in is off' | 'silent';
    }
  | { rule: 'old tempo' }
  | { rule: 'port in use'; portId: string; by: 'another app' | 'cables' }
  | { rule: 'too many destinations'; has: number; can: number }
  | { rule: 'same channel'; channel: number; others: string[] }
  | { rule: 'long chain'; thrus: number }
  | { rule: 'ticks wait'; cableId: string; traffic: Traffic }
  | { rule: 'offset twice'; own: number; unit: OffsetPlace['unit']; inHubMs: number }
  | { rule: 'start again' }
  | { rule: 'shares a wire'; portId: string; conflict: WireConflictKind; others: string[] }
  | { rule: 'cannot follow' }
  | { rule: 'shares the leader’s wire'; leaderId: string }
  | { rule: 'leader waits for clock' }
  | { rule: 'route echoes'; from: string; to: string; through: string }
  | { rule: 'no answer'; cableId: string }
  | { rule: 'not measured' }
  | { rule: 'stale'; because: string };

export interface Finding {
  /** Stable key of a finding; accepted findings are stored under it. */
  key: string;
  severity: Severity;
  /** The device it is about; the hub for the rig as a whole. */
  gearId: string;
  seen: Seen;
  cure: Cure | null;
}

/** Longest reliable thru chain; every thru distorts the signal slightly (common practice: two or three). */
const MAX_THRUS = 3;
/** An audible delay: two clicks within 1 to 2 ms sound like one (common practice). */
const HEARD_WAIT_MS = 1;

type Rule = (rig: RigPlan, evidence: Evidence) => Omit<Finding, 'key'>[];

const finding = (severity: Severity, gearId: string, seen: Seen, cure: Cure | null = null) => ({
  severity,
  gearId,
  seen,
  cure,
});
const leaderOf = (rig: RigPlan) => gearOf(rig, rig.leaders[0] ?? '');
const syncFormatsOf = ({ able }: RigGear): ('clock' | 'timecode')[] => [
  ...(able.clock ? (['clock'] as const) : []),
  ...(able.timecode.length > 0 ? (['timecode'] as const) : []),
];

const noLeader: Rule = (rig) =>
  leaderOf(rig) ? [] : [finding('wrong', HUB_ID, { rule: 'nobody leads' }, { kind: 'lead', gearId: HUB_ID })];

/** Two clocks merged into one input double the tick rate. */
const twoLeaders: Rule = (rig) =>
  followers(rig).flatMap((gear) => {
    const sources = [...new Set(syncPaths(rig, gear.id).map(({ sourceId }) => sourceId))];
    const kept = sources.includes(HUB_ID) ? HUB_ID : rig.leaders[0];
    const others = sources.filter((id) => id !== kept);
    const [first] = others;
    if (sources.length < 2 || first === undefined) return [];
    const cure: Cure | null =
      first === rig.leaders[0] ? null : { kind: 'menu', gearId: first, set: { clockOut: false } };
    return [finding('wrong', gear.id, { rule: 'two lead', others }, cure)];
  });

const loop: Rule = (rig) =>
  rig.gear.flatMap((gear) => {
    const through = findLoop(rig, gear.id);
    const soft = through?.find((id) => gearOf(rig, id)?.set.thru);
    const cure: Cure | null = soft === undefined ? null : { kind: 'menu', gearId: soft, set: { thru: false } };
    return through ? [finding('wrong', gear.id, { rule: 'loop', through }, cure)] : [];
  });

const setToInternal: Rule = (rig) =>
  followers(rig)
    .filter(({ set }) => set.clockSource === 'internal')
    .map(({ id }) =>
      finding('wrong', id, { rule: 'set to internal' }, { kind: 'menu', gearId: id, set: { clockSource: 'external' } }),
    );

const cannotLead: Rule = (rig) => {
  const leader = leaderOf(rig);
  return leader && !leader.able.lead
    ? [finding('wrong', leader.id, { rule: 'cannot lead' }, { kind: 'lead', gearId: HUB_ID })]
    : [];
};

const unsupportedSync: Rule = (rig) =>
  followers(rig).flatMap((gear) => {
    const speaks = syncFormatsOf(gear);
    if (gear.syncsTo === 'nothing' || speaks.includes(gear.syncsTo)) return [];
    const cure: Cure = { kind: 'syncTo', gearId: gear.id, syncsTo: speaks[0] ?? 'nothing' };
    return [finding('wrong', gear.id, { rule: 'does not speak', language: gear.syncsTo, speaks }, cure)];
  });

const otherFrameRate: Rule = (rig) =>
  followers(rig).flatMap((gear) => {
    const { timecode } = gear.able;
    const [known] = timecode;
    if (gear.syncsTo !== 'timecode' || known === undefined || timecode.includes(gear.rate)) return [];
    const seen: Seen = { rule: 'other frame rate', sent: gear.rate, knows: timecode };
    return [finding('wrong', gear.id, seen, { kind: 'rate', gearId: gear.id, rate: known })];
  });

const mutualWait: Rule = (_, { receiving, expects }) =>
  [...expects].flatMap(([portId, language]) => {
    const heard = receiving.get(portId) ?? 'nothing';
    if (heard === 'nothing' || heard === language) return [];
    const seen: Seen = { rule: 'waits for the other', portId, waitsFor: language, arrives: heard };
    return [finding('wrong', HUB_ID, seen, { kind: 'listenFor', portId, language: heard })];
  });

const nothingArrives: Rule = (rig, { connectedPorts, receiving, expects }) => {
  const leader = rig.leaders[0] ?? HUB_ID;
  const silent = [...expects.keys()]
    .filter((portId) => receiving.get(portId) === 'nothing')
    .map(() => finding('attention', leader, { rule: 'nothing arrives', cause: 'silent' }));
  const deaf = followers(rig).flatMap((gear) => {
    const cause = causeOfSilence(rig, gear, connectedPorts);
    const cure: Cure | null =
      cause === 'clock in is off' ? { kind: 'menu', gearId: gear.id, set: { clockIn: true } } : null;
    return cause ? [finding('wrong', gear.id, { rule: 'nothing arrives', cause }, cure)] : [];
  });
  return leader === HUB_ID ? deaf : [...silent, ...hubIgnoresInput(rig, leader, connectedPorts), ...deaf];
};

/** Another device leads, the followers are connected to the hub, and the leader isn't connected to the hub. */
function hubIgnoresInput(
  rig: RigPlan,
  leaderId: string,
  portsHere: Evidence['connectedPorts'],
): Omit<Finding, 'key'>[] {
  const leader = gearOf(rig, leaderId);
  const hearHub = followers(rig).some(({ id }) => syncPaths(rig, id).some(({ sourceId }) => sourceId === HUB_ID));
  if (!leader?.able.lead || !hearHub) return [];
  const into = cablesTo(rig, HUB_ID).filter(({ from }) => from.gearId === leaderId);
  const ports = into.map(({ to }) => socketOf(rig, to)?.portId ?? null);
  const cause = !leader.set.clockOut
    ? 'clock out is off'
    : into.length === 0
      ? 'no cable'
      : ports.every((port) => port === null)
        ? 'no port'
        : portsHere && !ports.some((port) => port !== null && portsHere.has(port))
          ? 'port gone'
          : null;
  const cure: Cure | null =
    cause === 'clock out is off' ? { kind: 'menu', gearId: leaderId, set: { clockOut: true } } : null;
  return cause ? [finding('wrong', HUB_ID, { rule: 'nothing arrives', cause }, cure)] : [];
}

function causeOfSilence(rig: RigPlan, gear: RigGear, portsHere: Evidence['connectedPorts']) {
  const paths = syncPaths(rig, gear.id);
  if (paths.length === 0) {
    const feeders = cablesTo(rig, gear.id).map(({ from }) => gearOf(rig, from.gearId));
    return feeders.some((one) => one?.able.lead && !one.set.clockOut) ? 'clock out is off' : 'no cable';
  }
  const ports = paths.flatMap(({ sourceId, cables: [first] }) => {
    const socket = sourceId === HUB_ID && first ? socketOf(rig, first.from) : undefined;
    return socket ? [socket.portId ?? null] : [];
  });
  const onlyByHub = paths.every(({ sourceId }) => sourceId === HUB_ID);
  if (onlyByHub && ports.every((port) => port === null)) return 'no port';
  if (onlyByHub && portsHere && !ports.some((port) => port !== null && portsHere.has(port))) return 'port gone';
  return gear.syncsTo === 'clock' && !gear.set.clockIn ? 'clock in is off' : null;
}

/** One wire can't give everyone their own. */
const sharedWire: Rule = (rig) =>
  planWires(rig).wires.flatMap(({ portId, gearIds, conflicts }) =>
    conflicts.flatMap(({ kind, gearIds: concerned }) =>
      concerned.map((id) => {
        const others = gearIds.filter((other) => !concerned.includes(other));
        return finding('wrong', id, { rule: 'shares a wire', portId: `${portId} ${kind}`, conflict: kind, others });
      }),
    ),
  );

const cannotFollow: Rule = (rig) =>
  planWires(rig)
    .unreached.filter(({ reason }) => reason === 'cannot follow')
    .map(({ gearId }) => {
      const canLead = gearOf(rig, gearId)?.able.lead ?? false;
      const cure: Cure = canLead ? { kind: 'lead', gearId } : { kind: 'syncTo', gearId, syncsTo: 'nothing' };
      return finding('wrong', gearId, { rule: 'cannot follow' }, cure);
    });

/** The hub sends nothing on a wire that reaches the leader. */
const leadersWire: Rule = (rig) =>
  planWires(rig)
    .unreached.filter(({ reason }) => reason === 'shared with the leader')
    .map(({ gearId }) =>
      finding('wrong', gearId, { rule: 'shares the leader’s wire', leaderId: rig.leaders[0] ?? HUB_ID }),
    );

const leaderWaits: Rule = (rig) => {
  const leader = leaderOf(rig);
  if (!leader || leader.id === HUB_ID || leader.set.clockSource !== 'external') return [];
  const cure: Cure = { kind: 'menu', gearId: leader.id, set: { clockSource: 'internal' } };
  return [finding('wrong', leader.id, { rule: 'leader waits for clock' }, cure)];
};

const outdatedTempo: Rule = (rig) =>
  followers(rig)
    .filter(({ syncsTo, able, clockWhileStopped }) => syncsTo === 'clock' && able.showsTempo && !clockWhileStopped)
    .map(({ id }) => finding('attention', id, { rule: 'old tempo' }, { kind: 'clockWhileStopped', gearId: id }));

/** Held by another app, or wired to two sources although only one app can open it. */
const portInUse: Rule = (rig, { portsInUse }) =>
  rig.gear.flatMap(({ id, sockets }) =>
    sockets.flatMap((socket) => {
      const { portId } = socket;
      const held = portId && portsInUse.has(portId);
      const wanted = socket.shared === false ? cablesTo(rig, id).filter(({ to }) => to.socketId === socket.id) : [];
      const users = new Set(wanted.map(({ from }) => from.gearId));
      return held || users.size > 1
        ? [
            finding('wrong', id, {
              rule: 'port in use',
              portId: portId ?? socket.label,
              by: held ? 'another app' : 'cables',
            }),
          ]
        : [];
    }),
  );

const tooManyDestinations: Rule = (rig) =>
  rig.gear.flatMap((gear) => {
    const { destinations: can } = gear.able;
    const has = destinationsOf(rig, gear.id);
    if (can === null || has <= can || !generatesSync(rig, gear)) return [];
    return [
      finding('wrong', gear.id, { rule: 'too many destinations', has, can }, { kind: 'throughHub', gearId: gear.id }),
    ];
  });

/** Two devices on the same line and channel both play every note. */
const sameChannel: Rule = (rig) => {
  const lines = new Map<string, { gear: RigGear; channel: number }[]>();
  for (const gear of rig.gear)
    for (const cable of cablesTo(rig, gear.id)) {
      if (cable.notesPerSecond === 0) continue;
      const line = `${lineOf(rig, cable)}`;
      for (const channel of gear.set.channels) lines.set(line, [...(lines.get(line) ?? []), { gear, channel }]);
    }
  return [...lines.values()].flatMap((heard) =>
    heard.flatMap(({ gear, channel }, i) => {
      const others = heard
        .filter((other) => other.gear !== gear && other.channel === channel)
        .map((other) => other.gear.id);
      const first = heard.findIndex((other) => other.channel === channel) === i;
      if (others.length === 0 || first) return [];
      const free = Array.from({ length: 16 }, (_, k) => k + 1).find((one) =>
        heard.every((other) => other.channel !== one),
      );
      const cure: Cure | null = free === undefined ? null : { kind: 'channels', gearId: gear.id, channels: [free] };
      return [finding('wrong', gear.id, { rule: 'same channel', channel, others }, cure)];
    }),
  );
};

/** The socket where the bytes on a cable originate. */
function lineOf(rig: RigPlan, cable: Cable, seen: readonly string[] = []): string {
  const socket = socketOf(rig, cable.from);
  const before = cablesTo(rig, cable.from.gearId)[0];
  if (socket?.direction === 'thru' && before && !seen.includes(before.id))
    return lineOf(rig, before, [...seen, before.id]);
  return `${cable.from.gearId} ${cable.from.socketId}`;
}

const longChain: Rule = (rig) =>
  followers(rig).flatMap(({ id }) => {
    const thrus = Math.max(0, ...syncPaths(rig, id).map((path) => path.thrus));
    return thrus > MAX_THRUS ? [finding('attention', id, { rule: 'long chain', thrus })] : [];
  });

const tickCongestion: Rule = (rig, { bpm }) =>
  rig.cables.flatMap((cable) => {
    const traffic = lineTraffic(rig, cable, bpm);
    if (!traffic || gearOf(rig, cable.to.gearId)?.syncsTo === 'nothing') return [];
    if (traffic.worstWaitMs < HEARD_WAIT_MS && traffic.load < 1) return [];
    return [
      finding(traffic.load >= 1 ? 'wrong' : 'attention', cable.to.gearId, {
        rule: 'ticks wait',
        cableId: cable.id,
        traffic,
      }),
    ];
  });

/** On a wire shared with gear that has no offset of its own, a device's own offset corrects what the wire's leaves. */
const offsetTwice: Rule = (rig) => {
  const ports = portsOfGear(rig);
  const sharesWireOffset = (one: RigGear) =>
    ports.has(one.id) &&
    followers(rig).some(
      (other) =>
        other.offset.where === 'hub' && other.syncsTo === one.syncsTo && ports.get(other.id) === ports.get(one.id),
    );
  return followers(rig)
    .filter((one) => one.offset.own !== 0 && one.offsetMs !== 0)
    .filter((one) => one.offset.where === 'hub' || !sharesWireOffset(one))
    .map(({ id, offset, offsetMs }) =>
      finding(
        'wrong',
        id,
        { rule: 'offset twice', own: offset.own, unit: offset.unit, inHubMs: offsetMs },
        { kind: 'offsetOnlyInHub', gearId: id },
      ),
    );
};

/** A route into gear whose thru returns the notes to the route's own input. */
const routeEchoes: Rule = (rig) =>
  (rig.routes ?? []).flatMap(({ from, to }) => {
    const sent = cablesFrom(rig, HUB_ID).filter((cable) => cable.from.socketId === to);
    const back = cablesTo(rig, HUB_ID).filter((cable) => cable.to.socketId === from);
    const through = sent.find(({ to: { gearId } }) =>
      back.some((cable) => cable.from.gearId === gearId && gearOf(rig, gearId)?.set.thru),
    )?.to.gearId;
    if (through === undefined) return [];
    const cure: Cure = { kind: 'menu', gearId: through, set: { thru: false } };
    return [finding('wrong', through, { rule: 'route echoes', from, to, through }, cure)];
  });

const noAnswer: Rule = (rig, { unanswered }) =>
  rig.cables
    .filter(({ id }) => unanswered.has(id))
    .map(({ id, to }) => finding('attention', to.gearId, { rule: 'no answer', cableId: id }));

const restartNeeded: Rule = (rig, { reconnected }) =>
  followers(rig)
    .filter(({ id, able }) => able.rearms && reconnected.has(id))
    .map(({ id }) => finding('wrong', id, { rule: 'start again' }, { kind: 'rejoin', gearId: id }));

const unmeasured: Rule = (rig, { measured }) =>
  followers(rig)
    .filter(({ audioOuts }) => audioOuts.some(({ input }) => input !== null))
    .flatMap(({ id }) => {
      const state = measured.get(id);
      if (state === 'holds') return [];
      const seen: Seen = state ? { rule: 'stale', because: state.staleBecause } : { rule: 'not measured' };
      return [finding('unproved', id, seen, { kind: 'measure', gearId: id })];
    });

const RULES: readonly Rule[] = [
  noLeader,
  twoLeaders,
  loop,
  cannotLead,
  setToInternal,
  unsupportedSync,
  otherFrameRate,
  mutualWait,
  nothingArrives,
  sharedWire,
  cannotFollow,
  leadersWire,
  leaderWaits,
  portInUse,
  tooManyDestinations,
  sameChannel,
  offsetTwice,
  routeEchoes,
  restartNeeded,
  noAnswer,
  tickCongestion,
  longChain,
  outdatedTempo,
  unmeasured,
];

const ORDER: readonly Severity[] = ['wrong', 'attention', 'unproved'];

/** All findings, worst first. */
export function lineCheck(rig: RigPlan, evidence: Evidence = NO_EVIDENCE): Finding[] {
  const findings = RULES.flatMap((rule) => rule(rig, evidence)).map((one) => ({ ...one, key: keyOf(one) }));
  return ORDER.flatMap((severity) => findings.filter((one) => one.severity === severity));
}

function keyOf({ gearId, seen }: Omit<Finding, 'key'>): string {
  const about =
    'portId' in seen ? seen.portId : 'cableId' in seen ? seen.cableId : 'channel' in seen ? seen.channel : '';
  return `${seen.rule}|${gearId}|${about}`;
}
