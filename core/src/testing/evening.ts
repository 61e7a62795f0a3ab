import { Hub, type SongSettings } from '../hub/hub';
import { HUB } from '../hub/leaders';
import type { Feed } from '../hub/lines';
import type { HubCommand } from '../hub/hub-command';
import type { Outgoing } from '../hub/outgoing';
import type { SourceSettings } from '../hub/source';
import { plannedLeader, planWires, type Wire } from '../rig/plan-wires';
import { cablesFrom, HUB_ID, socketOf, type RigGear, type RigPlan } from '../rig/rig';
import { seededRandom, type SeededRandom } from '../standin/random';
import { framesToSeconds } from '../timecode/code-position';
import { codeAtRate, timecodeToFrames, type FrameRate, type Timecode } from '../timecode/timecode';
import type { Machine, Sent } from './machines';
import { Receiver } from './receiver';
import { Witness } from './witness';

/** How the cable from a machine into the hub treats what it sends. */
export interface Line {
  /** Everything arrives this much later, and then by up to so much more. */
  lateMs: number;
  jitterMs: number;
  /** Share of the ticks that get lost. */
  loss: number;
  unplugged: boolean;
}

interface Input {
  machine: Machine;
  line: Line;
  gives: NonNullable<SourceSettings['gives']>;
  /** It started or stopped while it was unplugged, so that the hub can’t know. */
  missed: boolean;
  /** On the way, in order of arrival. */
  onTheWay: Sent[];
  /** Its line is as it is since then. */
  lineSinceMs: number;
}

export interface EveningSettings {
  rig: RigPlan;
  song: SongSettings;
  timecodeStart: Timecode;
  /** Machines by the id of their gear; each is connected to `in <id>`. */
  machines: ReadonlyMap<string, Machine>;
  seed: number;
}

const WAKE_MS = 12;
const LOOKAHEAD_MS = 60;
/** An offset has arrived after this long, however far it moves. */
const SLEW_MS = 2500;
const MAX_COUNT_IN_S = 60;
const SLEEP_MS = 2500;
const MAX_LATE_MS = 1000;
/** Beats of two bars, also of those in 5/4 and 6/4. */
const TWO_BARS = 12;
/** A leader is followed closely this long after its last change. */
const SETTLE_MS = 6000;

/** A standing code that was sent before something moved is on its way for this long, offset included. */
const CODE_MS = 1500;

/**
 * A studio for one evening, in virtual time: a hub, gear that listens to what really comes out of the cables, and
 * machines that may lead. Every fault it notices is thrown as an error.
 */
export class Evening {
  nowMs = 0;
  rig: RigPlan;
  hub: Hub;
  #song: SongSettings;
  readonly inputs = new Map<string, Input>();
  readonly receivers = new Map<string, Receiver>();
  readonly #witnesses = new Map<string, Witness>();
  readonly #random: SeededRandom;
  readonly #timecodeStart: Timecode;
  readonly #pulled = new Set<string>();
  readonly #lastMs = new Map<string, number>();
  /** Offsets are on the move until then, by wire. */
  readonly #slewsUntilMs = new Map<string, number>();
  readonly #nudged = new Set<string>();
  /** Stopped by themselves: what they are sent isn't the song's. */
  #held: ReadonlySet<string> = new Set();
  /** Until a standing code has spelled where winding ended. */
  #windsUntilMs = -Infinity;
  #winds = false;
  #holds = false;
  /** The grid of the time asleep was never played; what is late is still compared with it for a while. */
  #awakeFromMs = -Infinity;
  /** The hub has to roll while it leads: it was sent play, and no stop since; null if that is unsure. */
  plays: boolean | null = false;
  lastCommandMs = 0;

  constructor({ rig, song, timecodeStart, machines, seed }: EveningSettings) {
    this.rig = rig;
    this.#random = seededRandom(seed);
    this.#timecodeStart = timecodeStart;
    this.#song = song;
    this.hub = new Hub({ bpm: 120 });
    this.hub.setSong(song);
    for (const [id, machine] of machines)
      this.inputs.set(id, {
        machine,
        line: { lateMs: 0, jitterMs: 0, loss: 0, unplugged: false },
        gives: 'both',
        missed: false,
        onTheWay: [],
        lineSinceMs: 0,
      });
    this.#connect();
    this.setRig(rig);
    this.run(WAKE_MS);
  }

  #connect(): void {
    const timecodeStart = this.#timecodeStart;
    this.hub.setSources(
      [...this.inputs].map(([id, { machine, gives }]) => ({
        id,
        gives,
        portId: `in ${id}`,
        language: machine.language,
        timecodeStart,
      })),
    );
    this.hub.setLeaders(this.rig.leaders, this.rig.takeOver);
  }

  /** What a machine rules while it leads; it is a new source then. */
  setGives(id: string, gives: Input['gives']): void {
    const input = this.inputs.get(id);
    if (!input || input.gives === gives) return;
    Object.assign(input, { gives, lineSinceMs: this.nowMs, missed: true });
    this.#connect();
  }

  setSong(song: SongSettings): void {
    this.#song = { ...this.#song, ...song };
    this.hub.setSong(song);
  }

  /** The engine is lost, with all it knew; after a while another one goes on in its place, as the app does it. */
  loseHub(ms: number): void {
    const { willRoll, leader, held, muted, bpm, songMs, onTicks, songsEnded } = this.hub.snapshot();
    // The next one doesn't know that the song has ended.
    if (songsEnded > 0) this.plays = null;
    const gone = this.hub;
    const atMs = this.nowMs;
    const beat = gone.beatAt(atMs);
    const untilMs = atMs + ms;
    while (this.nowMs < untilMs) {
      this.nowMs = Math.min(untilMs, this.nowMs + WAKE_MS);
      // What arrives meanwhile is lost.
      for (const input of this.inputs.values()) {
        this.#send(input);
        if (input.machine.language === 'clock') input.missed = true;
        input.lineSinceMs = this.nowMs;
      }
    }
    this.hub = new Hub({ bpm: 120 });
    this.hub.setSong(this.#song);
    this.#connect();
    this.hub.advance(this.nowMs, LOOKAHEAD_MS);
    this.hub.setFeeds(this.wires.map((wire) => this.#feedOf(wire)));
    for (const feedId of held) this.hub.command({ kind: 'hold', feedId });
    for (const feedId of muted) this.hub.command({ kind: 'mute', feedId, muted: true });
    for (const { gearIds } of this.wires) for (const id of gearIds) this.#interrupt(id);
    this.hub.command({ kind: 'resume', rolled: willRoll ? { beat, songMs, atMs, bpm, leader, onTicks } : null });
  }

  get wires(): readonly Wire[] {
    return planWires(this.rig).wires;
  }

  get leaderId(): string {
    return this.hub.leader;
  }

  #reached = new Map<string, Set<string>>();

  setRig(rig: RigPlan): void {
    const before = new Map(this.wires.map((wire) => [wire.portId, wire]));
    const paths = this.#paths();
    const order = ({ leaders, takeOver }: RigPlan) => JSON.stringify([leaders, takeOver]);
    const leaderChanged = order(rig) !== order(this.rig);
    this.rig = rig;
    this.#reached = new Map();
    for (const gear of rig.gear) {
      if (gear.id === HUB_ID) continue;
      if (!this.receivers.has(gear.id)) this.receivers.set(gear.id, new Receiver(gear.able));
      if (!this.#witnesses.has(gear.id)) this.#witnesses.set(gear.id, new Witness());
    }
    for (const [id, path] of this.#paths()) if (paths.get(id) !== path) this.#interrupt(id);
    if (leaderChanged) this.hub.setLeaders(rig.leaders, rig.takeOver);
    for (const { portId, settings } of this.wires) {
      const old = before.get(portId)?.settings;
      if (JSON.stringify(offsetsOf(settings)) !== JSON.stringify(old && offsetsOf(old)))
        this.#slewsUntilMs.set(portId, this.nowMs + SLEW_MS);
      if (old && old.clockRate !== settings.clockRate)
        for (const witness of this.#witnesses.values()) witness.rateChanged(settings.clockRate ?? 1);
    }
    this.hub.setFeeds(this.wires.map((wire) => this.#feedOf(wire)));
  }

  /** The ports that reach each device. */
  #paths(): Map<string, string> {
    const paths = new Map<string, string>();
    for (const portId of this.#ports())
      for (const id of this.#reachedFrom(portId)) paths.set(id, `${paths.get(id) ?? ''} ${portId}`);
    return paths;
  }

  /** The hub's output ports with a cable. */
  #ports(): string[] {
    const ports = cablesFrom(this.rig, HUB_ID).map(({ from }) => socketOf(this.rig, from)?.portId ?? '');
    return [...new Set(ports)].sort();
  }

  #interrupt(id: string): void {
    this.receivers.get(id)?.interrupt();
    this.#witnesses.get(id)?.interrupt();
  }

  pull(portId: string): void {
    this.#pulled.add(portId);
    for (const id of this.#reachedFrom(portId)) this.#interrupt(id);
  }

  putBack(portId: string): void {
    this.#pulled.delete(portId);
    for (const id of this.#reachedFrom(portId)) this.#interrupt(id);
    this.hub.command({ kind: 'rejoin', feedId: portId });
  }

  changeGear(id: string, change: Partial<RigGear>): void {
    this.setRig({ ...this.rig, gear: this.rig.gear.map((one) => (one.id === id ? { ...one, ...change } : one)) });
  }

  #feedOf({ portId, settings, reaches, sendsToLeader }: Wire): Feed {
    const { timecode } = settings.sends;
    const start = timecode ? { timecodeStart: codeAtRate(this.#timecodeStart, timecode) } : {};
    return { id: portId, portId, settings: { ...settings, ...start }, reaches, sendsToLeader };
  }

  command(command: HubCommand): void {
    const { feedId } = 'feedId' in command ? command : { feedId: undefined };
    if (command.kind === 'nudge' && feedId !== undefined) {
      if (command.share === 0) this.#endNudge(feedId);
      else this.#nudged.add(feedId);
      this.#slewsUntilMs.set(feedId, this.nowMs + SLEW_MS);
    }
    this.#holds ||= command.kind === 'hold';
    this.#winds ||= command.kind === 'wind';
    if (command.kind === 'tempo') this.#song = { ...this.#song, tempo: [{ beat: 0, bpm: command.bpm }] };
    this.hub.command(command);
    if (command.kind === 'nudge' && command.share === 0 && feedId !== undefined) this.#takeOver(feedId);
  }

  #endNudge(feedId: string): void {
    this.#nudged.delete(feedId);
  }

  /** As the app does: the rig takes over what nudging has moved. */
  #takeOver(portId: string): void {
    const wire = this.wires.find((one) => one.portId === portId);
    const offsetMs = this.hub.offsetOf(portId);
    if (!wire || offsetMs === null) return;
    const movedMs = offsetMs - (wire.settings.sends.clock ? wire.settings.offsetMs : firstOffset(wire));
    this.setRig({
      ...this.rig,
      gear: this.rig.gear.map((one) =>
        wire.gearIds.includes(one.id) ? { ...one, offsetMs: one.offsetMs + movedMs } : one,
      ),
    });
  }

  /** Runs for a while; the computer wakes up every few milliseconds. */
  run(ms: number): void {
    const untilMs = this.nowMs + ms;
    while (this.nowMs < untilMs) this.#wake(Math.min(untilMs, this.nowMs + WAKE_MS), 'as sent');
  }

  /** The computer stands still; what arrived meanwhile is handed over at once. */
  holdUp(ms: number, stamps: 'as sent' | 'all now'): void {
    this.#wake(this.nowMs + ms, stamps);
    if (ms >= SLEEP_MS) this.#awakeFromMs = this.nowMs + MAX_LATE_MS;
  }

  #wake(nowMs: number, stamps: 'as sent' | 'all now'): void {
    this.nowMs = nowMs;
    for (const [id, input] of this.inputs) {
      this.#send(input);
      const { onTheWay } = input;
      while (onTheWay[0] && onTheWay[0].atMs <= nowMs) {
        const [{ bytes, atMs }] = onTheWay.splice(0, 1) as [Sent];
        this.hub.receive(`in ${id}`, bytes, stamps === 'all now' ? nowMs : atMs);
      }
    }
    const before = this.leaderId;
    const out = this.hub.advance(nowMs, LOOKAHEAD_MS);
    // Who takes over just now may have been sent something before.
    const leaderId = this.leaderId === before ? before : HUB_ID;
    if (this.#winds) {
      this.#windsUntilMs = nowMs + CODE_MS;
      this.#winds = this.hub.snapshot().winds !== null;
    }
    if (this.#holds) {
      this.#held = new Set(this.hub.snapshot().held);
      this.#holds = this.#held.size > 0;
    }
    for (const message of out) this.#deliver(message, leaderId);
  }

  #send({ machine, line, onTheWay }: Input): void {
    for (const { bytes, atMs } of machine.emit(this.nowMs)) {
      const droppable = bytes[0] === 0xf8 || bytes[0] === 0xf1;
      if (line.unplugged || (droppable && this.#random.uniform() < line.loss)) continue;
      const arrivesMs = atMs + line.lateMs + line.jitterMs * this.#random.uniform();
      onTheWay.push({ bytes, atMs: Math.max(arrivesMs, onTheWay.at(-1)?.atMs ?? 0) });
    }
  }

  #deliver({ feedId, portId, bytes, atMs }: Outgoing, leaderId: string): void {
    if (!Number.isFinite(atMs)) throw new Error(`A message is due at ${atMs}`);
    const lastMs = this.#lastMs.get(portId) ?? -Infinity;
    if (atMs < lastMs) throw new Error(`Time on ${portId} goes back from ${lastMs} to ${atMs}`);
    this.#lastMs.set(portId, atMs);
    const wire = this.wires.find((one) => one.portId === feedId);
    for (const id of this.#reachedFrom(portId)) {
      if (wire && id === leaderId && !wire.sendsToLeader && isSync(bytes))
        throw new Error(`${id} leads and is sent ${[...bytes].join(' ')} at ${atMs}`);
      if (this.#pulled.has(portId)) continue;
      const receiver = this.receivers.get(id);
      const witness = this.#witnesses.get(id);
      if (!receiver || !witness) continue;
      const heard = receiver.receive(bytes, atMs);
      const gear = this.rig.gear.find((one) => one.id === id);
      if (!wire?.gearIds.includes(id) || !gear) continue;
      witness.check(heard, {
        gear,
        wire,
        portId,
        atMs,
        receiver,
        startSeconds: secondsOf(this.#timecodeStart, wire.settings.sends.timecode ?? '25'),
        gridAt: (ms) => this.hub.gridAt(ms),
        leadMs: () => this.hub.snapshot().preRollMs,
        winds: atMs < this.#windsUntilMs,
        offsetKnown:
          !this.#nudged.has(portId) &&
          !this.#held.has(portId) &&
          atMs > Math.max(this.#awakeFromMs, this.#slewsUntilMs.get(portId) ?? -Infinity),
      });
    }
  }

  /** Where bytes of a port come out: from socket to socket, through thrus and split boxes. */
  #reachedFrom(portId: string): Set<string> {
    const known = this.#reached.get(portId) ?? this.#findReached(portId);
    this.#reached.set(portId, known);
    return known;
  }

  #findReached(portId: string): Set<string> {
    const reached = new Set<string>();
    const open = cablesFrom(this.rig, HUB_ID).filter(({ from }) => socketOf(this.rig, from)?.portId === portId);
    for (let cable = open.pop(); cable; cable = open.pop()) {
      const id = cable.to.gearId;
      if (reached.has(id) || id === HUB_ID) continue;
      reached.add(id);
      const isSplit = this.rig.gear.find((one) => one.id === id)?.kind === 'splitBox';
      open.push(
        ...cablesFrom(this.rig, id).filter(({ from }) => isSplit || socketOf(this.rig, from)?.direction === 'thru'),
      );
    }
    return reached;
  }

  /** After two bars without a command: everyone reached is locked and in place, and nobody hangs. */
  settle(): void {
    // It would end in the middle of being looked at.
    this.setSong({ endBeat: null });
    this.run(SETTLE_MS);
    const counts = () => {
      const { state, playsInMs } = this.hub.snapshot();
      return state === 'countingIn' || playsInMs !== null;
    };
    for (let seconds = 0; seconds < MAX_COUNT_IN_S && counts(); seconds++) this.run(1000);
    const { bpm } = this.hub.snapshot();
    this.run((TWO_BARS * 60_000) / Math.max(20, Math.min(bpm, 300)));
    const { state, leader, faults, held, muted } = this.hub.snapshot();
    if (faults.length > 0) throw new Error(`Fault: ${faults[0]?.reason}`);
    const rolls = state === 'rolling';
    if (!rolls && state !== 'stopped') throw new Error(`The hub is ${state} after two bars`);
    this.#checkLeader(leader, rolls);
    for (const wire of this.wires) {
      const { portId } = wire;
      const reachesLeader = !wire.sendsToLeader && wire.reaches.includes(leader);
      if (held.includes(portId) || muted.includes(portId) || this.#pulled.has(portId) || reachesLeader) continue;
      for (const id of wire.gearIds) {
        const gear = this.rig.gear.find((one) => one.id === id);
        const receiver = this.receivers.get(id);
        if (gear && receiver) this.#witnesses.get(id)?.checkSettled({ gear, wire, receiver, rolls, nowMs: this.nowMs });
      }
    }
    this.#checkReached();
  }

  #checkLeader(leader: string, rolls: boolean): void {
    if (leader === HUB) {
      const leads = plannedLeader(this.rig) === HUB_ID && this.rig.takeOver !== 'whoeverPlays';
      if (leads && this.hub.snapshot().songsEnded === 0 && this.plays !== null && this.plays !== rolls)
        throw new Error(`Told to play: ${this.plays}`);
      return;
    }
    const { machine, line, missed, gives, lineSinceMs = 0 } = this.inputs.get(leader) ?? {};
    if (
      !machine ||
      !line ||
      missed ||
      line.unplugged ||
      this.nowMs - lineSinceMs < SETTLE_MS ||
      this.nowMs - machine.steadySinceMs < SETTLE_MS
    )
      return;
    if (gives === 'transport' || (!rolls && gives === 'tempo')) return;
    const { onTicks } = this.hub.snapshot();
    if (!onTicks && machine.rolling !== rolls)
      throw new Error(`The leader ${machine.rolling ? 'rolls' : 'stands'}, the hub doesn’t`);
    if (!rolls) return;
    const { beat, songMs, bpm } = this.hub.gridAt(this.nowMs);
    const atMs = this.nowMs - line.lateMs;
    const steps = onTicks ? 24 : 1;
    const apart = onTicks ? machine.ticksAt(atMs) - steps * beat : machine.positionAt(atMs) - beat;
    const off =
      machine.language === 'clock'
        ? (apart - Math.round(apart)) * (60_000 / bpm / steps)
        : machine.positionAt(this.nowMs - line.lateMs) - 1000 * secondsOf(this.#timecodeStart, machine.rate) - songMs;
    if (!(Math.abs(off) < 3 + line.jitterMs)) throw new Error(`The grid is ${off.toFixed(1)} ms off its leader`);
  }

  /** Gear that a single usable port reaches is on that port’s wire. */
  #checkReached(): void {
    const leader = plannedLeader(this.rig);
    const ports = this.#ports();
    for (const gear of this.rig.gear) {
      if (gear.id === HUB_ID || gear.id === leader || gear.syncsTo === 'nothing' || !gear.able.follow) continue;
      const by = ports.filter((portId) => this.#reachedFrom(portId).has(gear.id));
      const [only = ''] = by;
      if (by.length !== 1 || this.#reachedFrom(only).has(leader)) continue;
      if (!this.wires.find(({ portId }) => portId === only)?.gearIds.includes(gear.id))
        throw new Error(`${gear.id} is reached from ${only}, but not served`);
    }
  }
}

function isSync(bytes: Uint8Array): boolean {
  return [0xf1, 0xf2, 0xf8, 0xfa, 0xfb, 0xfc].includes(bytes[0] ?? 0);
}

function offsetsOf({ offsetMs, timecodeOffsetMs, noteOffsetsMs }: Wire['settings']): unknown {
  return { offsetMs, timecodeOffsetMs, noteOffsetsMs };
}

function firstOffset({ settings }: Wire): number {
  const { triggers = [], patches = [], noteOffsetsMs, timecodeOffsetMs, offsetMs } = settings;
  const channel = triggers[0]?.sends.channel ?? patches[0]?.channel;
  return (channel === undefined ? timecodeOffsetMs : noteOffsetsMs?.[channel]) ?? offsetMs;
}

function secondsOf(start: Timecode, rate: FrameRate): number {
  return framesToSeconds(timecodeToFrames(codeAtRate(start, rate), rate), rate);
}
