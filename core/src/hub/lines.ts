import type { Winding } from '../feed/feed-planner';
import type { FeedSettings } from '../feed/feed-settings';
import { WirePlanner } from '../feed/wire-planner';
import { encodeMidi } from '../midi/encode-midi';
import type { MidiMessage } from '../midi/message';
import { MeterMap } from '../tempo/meter-map';
import type { TempoMap } from '../tempo/tempo-map';
import type { Outgoing } from './outgoing';

/** What leaves one wire, and its output port. */
export interface Feed {
  id: string;
  portId: string;
  settings: FeedSettings;
  /** Ids of all gear its bytes reach. Gear that is new here is started in mid-song. */
  reaches?: readonly string[];
  /** Send even while one of these leads. */
  sendsToLeader?: boolean;
}

/** What can be started in mid-song. */
export type Starting = Pick<WirePlanner, 'start' | 'invite' | 'stand' | 'beginsAt' | 'locate'>;

interface Line {
  readonly feed: Feed;
  readonly planner: WirePlanner;
  /** Stopped individually, until released. */
  readonly held?: boolean;
  /** Keeps running, but nothing is sent. */
  readonly muted?: boolean;
  /** Silent while others are soloed. */
  readonly notSoloed?: boolean;
  /** Keeps running, but nothing is sent while it would reach the leader. */
  readonly reachesLeader?: boolean;
  /** Why nothing more is sent until the feed is replaced or rejoins. */
  readonly fault?: string | null;
}

/** What the lines ask the hub. */
interface AtTheHub {
  /** Everything due before this has been handed over, ms. */
  horizonMs(): number;
  /** Song time at the horizon, ms. */
  songMs(): number;
  /** Before the hub has played for the first time, nothing can be left playing. */
  hasPlayed(): boolean;
  records(): boolean;
  /** What an idle feed's clock runs at. */
  map(): TempoMap;
  /** Starts a planner at the current position if the grid rolls, or is about to. */
  join(planner: Starting): void;
}

export interface LinesSnapshot {
  /** Feeds stopped individually, and muted feeds. */
  held: string[];
  muted: string[];
  /** Feeds silenced by a fault in their planning, with the reason. */
  faults: { feedId: string; reason: string }[];
}

const NO_SYNC = { clock: false, transport: false, position: false, timecode: null };

/**
 * All feeds of the hub, each with the planner of its messages. A feed that is silent for a while is stopped first, and has
 * missed what was sent meanwhile, so it rejoins.
 */
export class Lines {
  readonly #hub: AtTheHub;
  #lines = new Map<string, Line>();
  #meter = new MeterMap();
  #soloed: ReadonlySet<string> | null = null;
  /** Extra hand-over lead per port, ms. */
  readonly #early = new Map<string, number>();
  readonly #farewells: Outgoing[] = [];

  constructor(hub: AtTheHub) {
    this.#hub = hub;
  }

  /** Of all feeds. */
  get planners(): WirePlanner[] {
    return [...this.#lines.values()].map(({ planner }) => planner);
  }

  /** Of those that aren't held. */
  get playing(): WirePlanner[] {
    return [...this.#lines.values()].filter(({ held }) => !held).map(({ planner }) => planner);
  }

  /** How long before the grid the earliest follower is, ms. */
  get leadMs(): number {
    let earliestMs = 0;
    for (const { planner } of this.#lines.values()) earliestMs = Math.max(earliestMs, -planner.earliestOffsetMs);
    return earliestMs;
  }

  /** The longest extra hand-over lead, ms. */
  get mostEarlyMs(): number {
    return Math.max(0, ...this.#early.values());
  }

  snapshot(): LinesSnapshot {
    const lines = [...this.#lines.values()];
    return {
      held: lines.filter(({ held }) => held).map(({ feed }) => feed.id),
      muted: lines.filter(({ muted }) => muted).map(({ feed }) => feed.id),
      faults: lines.flatMap(({ feed, fault }) => (fault ? [{ feedId: feed.id, reason: fault }] : [])),
    };
  }

  /** A feed's current offset, ms, including nudges. Null if there is no such feed. */
  offsetOf(feedId: string): number | null {
    return this.#lines.get(feedId)?.planner.offsetMs ?? null;
  }

  /** Sync reaches a device. */
  drives(gearId: string): boolean {
    return [...this.#lines.values()].some((line) => {
      const { transport, clock, timecode } = line.feed.settings.sends;
      const drives = transport || clock || timecode !== null;
      return drives && !line.held && !isSilent(line) && (line.feed.reaches?.includes(gearId) ?? false);
    });
  }

  /** Replaces the feeds. A new one joins while rolling; one whose offset changed continues. */
  replace(feeds: readonly Feed[], leaderId: string): void {
    const before = this.#lines;
    this.#lines = new Map();
    const added: Starting[] = [];
    for (const feed of feeds) {
      const old = before.get(feed.id);
      const kept = old && old.feed.portId === feed.portId && !old.fault ? this.#change(old, feed, added) : null;
      const notSoloed = this.#soloed?.has(feed.id) === false;
      this.#lines.set(feed.id, { ...(kept ?? { ...old, feed, ...this.#newPlanner(feed) }), notSoloed });
      if (old && !kept) this.#sayStop(old);
    }
    for (const [id, old] of before) if (!this.#lines.has(id)) this.#sayStop(old);
    for (const { feed, planner, held } of this.#lines.values())
      if (!held && before.get(feed.id)?.planner !== planner) added.push(planner);
    // Only now all offsets are known, so that everyone can be started early enough.
    for (const planner of added) this.#hub.join(planner);
    this.keepFrom(leaderId);
  }

  /** Null if the new settings make no sense. `added` gets the planners that have to be started. */
  #change(old: Line, feed: Feed, added: Starting[]): Line | null {
    const { planner, held = false } = old;
    const add = (one: Starting) => {
      if (!held) added.push(one);
    };
    try {
      this.#farewell(old, planner.change(feed.settings, this.#hub.map(), add));
    } catch {
      return null;
    }
    const newcomers = feed.reaches?.some((id) => !old.feed.reaches?.includes(id)) ?? false;
    if (newcomers && !held) planner.invite(this.#hub.hasPlayed());
    return { ...old, feed };
  }

  /** Nothing is sent to whoever leads. */
  keepFrom(leaderId: string): void {
    for (const [id, line] of this.#lines) {
      const { feed, reachesLeader: reached = false } = line;
      const reachesLeader = !feed.sendsToLeader && (feed.reaches?.includes(leaderId) ?? false);
      if (reachesLeader === reached) continue;
      // A stop would stop the leader too.
      const notes = reachesLeader ? line.planner.end().filter(({ kind }) => kind === 'noteOff') : [];
      this.#farewell(line, notes);
      this.#lines.set(id, { ...line, reachesLeader });
      if (!reachesLeader) this.#comeBack(line);
    }
  }

  setMeter(meter: MeterMap): void {
    this.#meter = meter;
    for (const planner of this.planners) planner.setMeter(meter);
  }

  retime(map: TempoMap, gridMs: number, speed: number): void {
    for (const planner of this.planners) planner.retime(map, gridMs, speed);
  }

  stop(gridMs: number): void {
    for (const planner of this.planners) planner.stop(gridMs);
  }

  wind(gridMs: number, direction: Winding | null): void {
    for (const planner of this.planners) planner.wind(gridMs, direction);
  }

  record(on: boolean): void {
    for (const planner of this.planners) planner.record(on);
  }

  setOffset(feedId: string, offsetMs: number): void {
    const line = this.#lines.get(feedId);
    if (!line) return;
    const settings = { ...line.feed.settings, offsetMs };
    line.planner.setOffsets(settings);
    this.#lines.set(feedId, { ...line, feed: { ...line.feed, settings } });
  }

  nudge(feedId: string, share: number): void {
    const line = this.#lines.get(feedId);
    if (!line) return;
    line.planner.nudge(share);
    const settings = line.planner.withOffsets(line.feed.settings);
    this.#lines.set(feedId, { ...line, feed: { ...line.feed, settings } });
  }

  /** Sets a port's extra lead, ms. */
  handOverEarly(portId: string, ms: number): void {
    this.#early.set(portId, ms);
  }

  /** To be sent with what is planned next. */
  passOn(messages: readonly Outgoing[]): void {
    this.#farewells.push(...messages);
  }

  /** Everything due before `toMs`, in time order for each feed. */
  plan(toMs: number): Outgoing[] {
    const out = this.#farewells.splice(0);
    for (const line of this.#lines.values()) this.#planLine(line, toMs, out);
    return out;
  }

  /** A fault in one wire silences that wire; the others play on. */
  #planLine(line: Line, toMs: number, out: Outgoing[]): void {
    const { feed, planner, fault } = line;
    if (fault) return;
    const silent = isSilent(line);
    try {
      for (const { atMs, message } of planner.plan(this.#hub.horizonMs(), toMs + (this.#early.get(feed.portId) ?? 0)))
        if (!silent) out.push({ feedId: feed.id, portId: feed.portId, bytes: encodeMidi(message), atMs });
    } catch (error) {
      this.#sayStop(line);
      this.#lines.set(feed.id, { ...line, fault: reasonOf(error) });
    }
  }

  /** Stops a feed and starts it again at the current position. */
  startAgain(feedId: string): void {
    this.#sayStopTo(feedId);
    this.#rejoin(feedId);
  }

  /** Stops them all, for they may be playing. */
  stopAll(): void {
    for (const id of this.#lines.keys()) this.#sayStopTo(id);
  }

  /** After sleep: all are stopped at `atMs`, and nothing of what was planned is sent. */
  beginAnew(atMs: number): void {
    for (const [id, line] of this.#lines) {
      this.#sayStop(line, { fromMs: atMs, always: this.#hub.hasPlayed() });
      this.#lines.set(id, { ...line, ...this.#newPlanner(line.feed) });
    }
  }

  /** Stops one follower and keeps it stopped, whatever the others do. */
  hold(feedId: string): void {
    const line = this.#lines.get(feedId);
    if (!line || line.held) return;
    this.#sayStop(line);
    const made = this.#newPlanner(line.feed);
    made.planner.stand(this.#hub.songMs());
    this.#lines.set(feedId, { ...line, ...made, held: true });
  }

  mute(feedId: string, muted: boolean): void {
    const line = this.#lines.get(feedId);
    if (!line || (line.muted ?? false) === muted) return;
    this.#silence(line, { ...line, muted });
  }

  solo(feedIds: readonly string[] | null): void {
    this.#soloed = feedIds && new Set(feedIds);
    for (const [id, line] of [...this.#lines]) {
      const notSoloed = this.#soloed?.has(id) === false;
      if (notSoloed !== (line.notSoloed ?? false)) this.#silence(line, { ...line, notSoloed });
    }
  }

  /** Who falls silent is stopped; who is heard again has lost its position, so it rejoins. */
  #silence(before: Line, after: Line): void {
    if (!isSilent(before) && isSilent(after)) this.#sayStop(before);
    this.#lines.set(after.feed.id, after);
    if (isSilent(before) && !isSilent(after)) this.#comeBack(after);
  }

  /** It is heard again, and has missed what was sent meanwhile. */
  #comeBack({ feed, planner, held = false }: Line): void {
    if (held) planner.stand();
    else this.#rejoin(feed.id);
  }

  #rejoin(feedId: string): void {
    const line = this.#lines.get(feedId);
    if (!line) return;
    const made = this.#newPlanner(line.feed);
    this.#lines.set(feedId, { ...line, ...made, held: false });
    this.#hub.join(made.planner);
  }

  /** A silent planner and the reason, if the feed's settings make no sense. */
  #newPlanner({ settings }: Feed): { planner: WirePlanner; fault: string | null } {
    const map = this.#hub.map();
    try {
      const planner = new WirePlanner(map, settings, this.#meter);
      planner.record(this.#hub.records());
      return { planner, fault: null };
    } catch (error) {
      const silent = { sends: NO_SYNC, offsetMs: 0, clockWhileStopped: false };
      return { planner: new WirePlanner(map, silent, this.#meter), fault: reasonOf(error) };
    }
  }

  /** Stop it first: a follower that is still playing ignores song position and would get the same beats twice. */
  #sayStopTo(feedId: string): void {
    const line = this.#lines.get(feedId);
    if (!line) return;
    // A held one has stopped, but a stop of all may have struck notes.
    if (line.held) this.#farewell(line, line.planner.releaseNotes());
    else this.#sayStop(line, { always: true });
  }

  /**
   * Ends every note that is on and stops the follower, after everything sent so far; `always`, even if it wasn't started
   * here, as it may be playing.
   */
  #sayStop(line: Line, { fromMs = this.#hub.horizonMs(), always = false } = {}): void {
    this.#farewell(line, line.planner.end(always), fromMs);
  }

  /** After everything sent so far; whoever is silent stays so. */
  #farewell(line: Line, messages: readonly MidiMessage[], fromMs = this.#hub.horizonMs()): void {
    if (isSilent(line)) return;
    const { feed, planner } = line;
    const atMs = Math.max(fromMs, planner.lastDueMs);
    for (const message of messages)
      this.#farewells.push({ feedId: feed.id, portId: feed.portId, bytes: encodeMidi(message), atMs });
  }
}

function isSilent({ muted, notSoloed, reachesLeader }: Line): boolean {
  return (muted ?? false) || (notSoloed ?? false) || (reachesLeader ?? false);
}

function reasonOf(error: unknown): string {
  return error instanceof Error ? error.message : String(error);
}
