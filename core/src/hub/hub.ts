import { LAST_SONG_POSITION, NOTE_LENGTH_MS, START_LEAD_MS, type Winding } from '../feed/feed-planner';
import { SIXTEENTHS_PER_BEAT, TICKS_PER_BEAT } from '../midi/message';
import { MeterMap, type MeterPoint } from '../tempo/meter-map';
import { TempoMap, type TempoPoint } from '../tempo/tempo-map';
import { beatAt, bpmAt, msOfBeat, songMsAt, type Motion } from '../transport/motion';
import { Timeline, type GridPosition, type TransportState } from '../transport/timeline';
import type { HubCommand, LostMotion } from './hub-command';
import { HUB, Leaders, type TakeOver } from './leaders';
import { Lines, type Feed, type LinesSnapshot, type Starting } from './lines';
import { NoteRouter, type PortRoute } from './note-router';
import type { Outgoing } from './outgoing';
import type { Lead, Source, SourceSettings, SourceSnapshot } from './source';
import { leadMs, steer, STEER_EVERY_MS } from './steer';

/** Where the song position goes on stop. */
export type AfterStop = 'stay' | 'toStart' | 'toWherePlayBegan';

export interface SongSettings {
  tempo?: readonly TempoPoint[];
  meter?: readonly MeterPoint[];
  /** Bars of count-in, if play asks for one; two by default. */
  countInBars?: number;
  afterStop?: AfterStop;
  /** Playback stops here, in quarter notes; null goes on. */
  endBeat?: number | null;
}

export interface HubSnapshot extends LinesSnapshot {
  state: TransportState;
  /** Whether it rolls once every pending request has been carried out. */
  willRoll: boolean;
  /** Quarter notes from the start of the song; below the start position during count-in. */
  beat: number;
  /** Song time, ms; what timecode shows. */
  songMs: number;
  bpm: number;
  /** The current leader: the hub, or a source by its id. */
  leader: string;
  /** It rolls on the ticks of a clock that wasn't started: the position is the musician's own. */
  onTicks: boolean;
  /** Recording is on, or comes on with the next start. */
  records: boolean;
  /** How often the song has played to its end. */
  songsEnded: number;
  /** The stopped song position moves in this direction. */
  winds: Winding | null;
  /** It plays by itself after this long; null if it doesn't. */
  playsInMs: number | null;
  sources: SourceSnapshot[];
  /** Pre-roll: how long everyone waits at play, so that the earliest follower can be early. */
  preRollMs: number;
  lookaheadMs: number;
  messages: number;
  /** Number of times the machine slept. */
  sleeps: number;
}

/** When the beats of whole bars are played, in ms of the grid, as the song stands now. */
export interface BarsAhead {
  beatsMs: number[];
  /** The bar lines, with the one after the last bar. */
  barsMs: number[];
  /** Tempo of the first beat. */
  bpm: number;
}

export const SLOWEST_BPM = 20;
export const FASTEST_BPM = 300;
export const MAX_NUDGE = 0.1;
/** Two bars give everything time to settle (common practice). */
const COUNT_IN_BARS = 2;
const MAX_COUNT_IN_BARS = 16;
/** A gap this long between calls means the machine slept: drop the backlog instead of sending it in a burst. */
const SLEEP_MS = 2500;
const TURN_GAP_MS = 40;
/** The stop at the end of a song is planned when it is this close, so that a late tempo change still counts. */
const END_WITHIN_MS = 40;
/** The grid's positions stay known for this long. */
const HISTORY_MS = 10_000;
/** Dead band: ignore tempo differences below 30 ppm until the accumulated phase error is worth correcting. */
const SAME_TEMPO = 3e-5;
/** A leader that returns within this time is followed again by itself. */
const HOLD_OFF_MS = 10_000;

/** Song positions are sent this often while winding, and this many quarter notes go by in a second. */
const WIND_EVERY_MS = 125;
const WIND_BEATS_A_SECOND = 16;
const ENDS_WINDING: ReadonlySet<HubCommand['kind']> = new Set([
  ...(['play', 'pause', 'stop', 'downbeat', 'locate', 'wind', 'resume'] as const),
]);

/**
 * The engine. Incoming sync is never passed through: the grid follows the leader and every feed is regenerated from the
 * grid. No ports, timers or clock reads, so it is deterministic: same calls, same bytes.
 */
export class Hub {
  /** The song's map; while a clock leads, the grid runs at that clock's tempo instead. */
  #song: TempoMap;
  #meter = new MeterMap();
  #countInBars = COUNT_IN_BARS;
  #afterStop: AfterStop = 'stay';
  #endBeat: number | null = null;
  /** It plays on past the end of the song. */
  #pastEnd = false;
  #songsEnded = 0;
  /** To play by itself, later. */
  #playsLater: { atMs: number; countInBars: number } | null = null;
  #winding: { direction: Winding; placedMs: number; seenFromMs: number } | null = null;
  #records = false;
  readonly #timeline: Timeline;
  readonly #lines = new Lines({
    horizonMs: () => this.#horizonMs,
    songMs: () => this.#timeline.at(this.#horizonMs).songMs,
    hasPlayed: () => this.#hasPlayed,
    records: () => this.#records,
    map: () => this.#mapNow(),
    join: (planner) => this.#join(planner),
  });
  readonly #leaders = new Leaders();
  /** The preferred leader dropped out during playback; don't switch back automatically. */
  #fellBack = false;
  /** Who was lost, when, and how far its count was from the grid's. */
  #lost: { sourceId: string; atMs: number; countsFrom: number } | null = null;
  #steeredMs = -Infinity;
  /** Beats between the leader's count and the grid's. */
  #countsFrom = 0;
  /** The grid was started here, on the ticks of a clock that runs without a start, or whose start doesn't count. */
  #onTicks = false;
  /** To be resumed on the ticks of a leader that isn't locked yet. */
  #resumesOnTicks: LostMotion | null = null;
  #stoodAt: number | null = null;
  #playedFrom = 0;
  /** Before it has played for the first time, nothing can be left playing. */
  #hasPlayed = false;
  #nowMs = 0;
  #heardUntilMs = 0;
  /** When the last follower joins, or has joined. */
  #joinsMs = -Infinity;
  /** Everything due before this has been handed over. */
  #horizonMs = 0;
  #started = false;
  #messages = 0;
  #sleeps = 0;
  #lookaheadMs = 0;
  readonly #router = new NoteRouter();

  constructor(options: { bpm: number }) {
    this.#song = evenTempo(options.bpm);
    this.#timeline = new Timeline(this.#song);
  }

  /**
   * Changes the given song settings; the rest stays.
   * @throws RangeError on an invalid tempo map, time signature or count-in.
   */
  setSong(song: SongSettings): void {
    const { countInBars = this.#countInBars } = song;
    if (!(Number.isInteger(countInBars) && countInBars >= 0 && countInBars <= MAX_COUNT_IN_BARS))
      throw new RangeError(`Count-in must be 0 to ${MAX_COUNT_IN_BARS} bars, not ${countInBars}.`);
    this.#countInBars = countInBars;
    if (song.tempo && JSON.stringify(song.tempo) !== JSON.stringify(this.#song.points))
      this.#setMap(new TempoMap(song.tempo));
    if (song.meter && JSON.stringify(song.meter) !== JSON.stringify(this.#meter.points)) {
      this.#meter = new MeterMap(song.meter);
      this.#lines.setMeter(this.#meter);
    }
    if (song.afterStop) this.#afterStop = song.afterStop;
    if (song.endBeat !== undefined) this.#endBeat = song.endBeat;
  }

  /** Replaces the feeds. A new one joins while rolling; one whose offset changed continues. */
  setFeeds(feeds: readonly Feed[]): void {
    this.#lines.replace(feeds, this.leader);
  }

  /** Replaces the note and controller routes. */
  setRoutes(routes: readonly PortRoute[]): void {
    this.#lines.passOn(this.#router.setRoutes(routes, this.#nowMs));
  }

  /** Replaces the input ports to listen to. A source continues if at most its offset changed. */
  setSources(sources: readonly SourceSettings[]): void {
    this.#leaders.setSources(sources);
    if (this.#leaders.isGone) this.#fallBack();
  }

  /**
   * Sets the fallback order, leader first: `hub` or sources. Switches without stopping; after a fallback it switches
   * back to the first.
   */
  setLeaders(order: readonly string[], takeOver: TakeOver = 'inOrder'): void {
    this.#leaders.setOrder(order, takeOver);
    this.#fellBack = false;
    this.#changeOver();
  }

  /** Bytes that arrived at a port. Returns what to send immediately: routed notes and controllers. */
  receive(portId: string, bytes: Uint8Array, atMs: number): Outgoing[] {
    for (const source of this.#leaders.on(portId)) {
      const otherCode = this.#leaders.otherCode(source, atMs);
      const messages = source.receive(bytes, atMs, (ms) => this.#timeline.at(ms), otherCode);
      if (!this.#isObeyed(source.settings)) continue;
      for (const { message } of messages)
        for (const command of source.commands(message, this.#song)) this.command(command);
    }
    const carried = this.#router.receive(portId, bytes, atMs);
    this.#messages += carried.length;
    return carried;
  }

  /** A leader that gives the transport only is obeyed, like a remote control. */
  #isObeyed({ id, gives, obeys = false }: SourceSettings): boolean {
    if (gives === 'transport' && this.#leaders.id === id) return true;
    return obeys && gives !== 'tempo' && this.#hasOwnTransport();
  }

  /** @throws RangeError on a tempo outside 20 to 300 BPM, a position before the start, or an invalid count-in. */
  command(command: HubCommand): void {
    if (ENDS_WINDING.has(command.kind)) this.#endWinding();
    switch (command.kind) {
      case 'play':
        if (this.#willRoll()) return;
        this.#pastEnd = command.pastEnd ?? false;
        this.#playOrWait(command.countIn ? this.#countInBars : 0, command.afterBars ?? 0);
        return;
      case 'pause':
        if (this.#willRoll()) this.#stop(this.#nextTurnMs(), { stays: true });
        return;
      case 'wind':
        this.#wind(command.direction);
        return;
      case 'record':
        this.#records = command.on;
        this.#lines.record(command.on);
        return;
      case 'downbeat':
        this.#joinOn(command.atMs);
        return;
      case 'stop':
        this.#stopByHand();
        return;
      case 'locate':
        this.#locate(command.beat);
        return;
      case 'tempo':
        this.#setTempo(command.bpm);
        return;
      case 'rejoin':
      case 'release':
        this.#lines.startAgain(command.feedId);
        return;
      case 'hold':
        this.#lines.hold(command.feedId);
        return;
      case 'mute':
        this.#lines.mute(command.feedId, command.muted);
        return;
      case 'solo':
        this.#lines.solo(command.feedIds);
        return;
      case 'resume':
        this.#resume(command.rolled);
        return;
      case 'nudge':
        this.#nudge(command.share, command.feedId);
        return;
      case 'offset':
        this.#lines.setOffset(command.feedId, command.offsetMs);
    }
  }

  /**
   * Sets a port's extra lead, ms, to cover audio output buffering. Tempo changes don't wait for it: events already
   * handed over keep their times.
   */
  handOverEarly(portId: string, ms: number): void {
    this.#lines.handOverEarly(portId, ms);
  }

  /** When the last message of a stopped hub is due, on the feed with the latest offset. */
  get lastDueMs(): number {
    const dues = this.#lines.planners.map(({ latestOffsetMs }) => this.#timeline.lastChangeMs + latestOffsetMs);
    return Math.max(this.#timeline.lastChangeMs, ...dues) + NOTE_LENGTH_MS;
  }

  /**
   * Everything due up to `lookaheadMs` from now, in time order for each feed. `heardUntilMs`: incoming messages are known
   * up to then, if not up to the call before.
   */
  advance(nowMs: number, lookaheadMs: number, heardUntilMs = Infinity): Outgoing[] {
    const slept = this.#started && nowMs - this.#horizonMs > SLEEP_MS;
    if (slept) this.#wakeUp(nowMs);
    if (!this.#started) this.#horizonMs = nowMs;
    // What arrives while this machine stands still is handed over after the call that follows.
    this.#heardUntilMs = Math.min(heardUntilMs, this.#started ? this.#nowMs : nowMs);
    this.#started = true;
    this.#nowMs = nowMs;
    this.#leaders.wake(nowMs, this.#heardUntilMs);
    this.#lookaheadMs = lookaheadMs;
    this.#followSafely();
    this.#windOn();
    this.#playOn();
    const toMs = Math.max(this.#horizonMs, nowMs + lookaheadMs);
    const out = this.#lines.plan(toMs);
    this.#horizonMs = toMs;
    this.#messages += out.length;
    this.#timeline.forgetBefore(nowMs - HISTORY_MS);
    return out;
  }

  /** A leader that can't be followed is a lost leader. */
  #followSafely(): void {
    try {
      this.#follow();
    } catch {
      this.#fallBack();
    }
  }

  snapshot(): HubSnapshot {
    const grid = this.#timeline.at(this.#nowMs);
    return {
      ...grid,
      willRoll: this.#willRoll(),
      leader: this.leader,
      onTicks: this.#onTicks,
      records: this.#records,
      songsEnded: this.#songsEnded,
      winds: this.#winding?.direction ?? null,
      playsInMs: this.#playsLater && Math.max(0, this.#playsLater.atMs - this.#nowMs),
      sources: this.#leaders.snapshot(this.#song, grid),
      ...this.#lines.snapshot(),
      preRollMs: this.#lines.leadMs,
      lookaheadMs: this.#lookaheadMs,
      messages: this.#messages,
      sleeps: this.#sleeps,
    };
  }

  /** The current leader: the hub, or a device by its id. */
  get leader(): string {
    return this.#leaders.deviceId;
  }

  /** Grid position at a time, in quarter notes; valid for the near past and future. */
  beatAt(ms: number): number {
    return this.#timeline.at(ms).beat;
  }

  /** The grid at a time; valid for the near past and future. */
  gridAt(ms: number): GridPosition {
    return this.#timeline.at(ms);
  }

  /**
   * When whole bars will be played: `bars` of them, `settleBars` after the first bar line that is still ahead. Null unless
   * the grid rolls or is about to.
   */
  barsAhead(bars: number, settleBars: number): BarsAhead | null {
    const fromMs = Math.max(this.#horizonMs, this.#timeline.lastChangeMs);
    const motion = this.#timeline.motionAt(fromMs);
    if (!motion) return null;
    const { bar } = this.#meter.positionAt(this.#meter.nextBar(Math.max(this.#playedFrom, motion.beat)));
    const lines = Array.from({ length: bars + 1 }, (_, i) =>
      this.#meter.beatAt({ bar: bar + settleBars + i, beat: 1, ticks: 0 }),
    );
    const beats = lines.slice(0, -1).flatMap((line) => {
      const { beatsPerBar, beatUnit } = this.#meter.meterAt(line);
      return Array.from({ length: beatsPerBar }, (_, i) => line + (i * 4) / beatUnit);
    });
    return {
      beatsMs: beats.map((beat) => msOfBeat(motion, beat)),
      barsMs: lines.map((line) => msOfBeat(motion, line)),
      bpm: bpmAt(motion, lines[0] ?? motion.beat),
    };
  }

  /** A feed's current offset, ms, including nudges. Null if there is no such feed. */
  offsetOf(feedId: string): number | null {
    return this.#lines.offsetOf(feedId);
  }

  /** Joins the rolling leader, tracks it, stops with it, and falls back when it is lost. */
  #follow(): void {
    this.#changeOver();
    const { source } = this.#leaders;
    if (!source || source.settings.gives === 'transport') return;
    if (this.#onTicks && this.#playsItself(source)) {
      // It was started after all.
      this.#stop(this.#nextTurnMs());
      return;
    }
    const gridMs = this.#nextChangeMs();
    const byTicks = this.#byTicks(source);
    const lead = this.#leadOf(source, gridMs);
    const rolls = this.#willRoll();
    if (byTicks && !rolls) this.#idleOnTicks(source, lead);
    else if (rolls && (!lead || lead.state === 'lost' || lead.state === 'silent')) this.#fallBack();
    else if (!lead) return;
    else if (!lead.rolling) this.#standWith(lead);
    else if (!rolls) this.#joinLeader(lead, gridMs);
    else if (
      (lead.state !== 'settling' || lead.unsure) &&
      this.#nowMs - this.#steeredMs >= STEER_EVERY_MS[source.settings.response ?? 'steady']
    )
      this.#steer(source, lead, gridMs);
  }

  /** Only its ticks count, not where it says it is. */
  #byTicks({ settings }: Source): boolean {
    return settings.language === 'clock' && (this.#onTicks || settings.gives === 'tempo');
  }

  /** It was started, and its start counts. */
  #playsItself({ settings: { id, gives } }: Source): boolean {
    return gives !== 'tempo' && this.#leaders.canLead(id);
  }

  #leadOf(source: Source, gridMs: number): Lead | null {
    const aheadMs = gridMs - this.#nowMs;
    return this.#byTicks(source)
      ? source.ticksAt(this.#nowMs, aheadMs, this.#heardUntilMs)
      : source.leadAt(this.#nowMs, aheadMs, this.#song, this.#heardUntilMs);
  }

  #idleOnTicks(source: Source, lead: Lead | null): void {
    if (lead?.state !== 'locked') return;
    const gone = this.#resumesOnTicks;
    if (!gone) {
      this.#idleWith(lead.bpm);
      return;
    }
    const { beat, songMs, atMs, bpm } = gone;
    const motion: Motion = { map: evenTempo(bpm), speed: 1, fromMs: atMs, beat, songMs };
    this.#startOnTicks(source, (gridMs) => ({ beat: toSixteenth(Math.max(0, beatAt(motion, gridMs))) }));
  }

  /** The musician's play, which a leader that says itself when to play leaves alone. */
  #playByHand(countInBars: number): void {
    if (this.#leaders.takeOver === 'whoeverPlays' && !this.#hasOwnTransport()) this.#lead(HUB);
    const { source } = this.#leaders;
    if (!source || source.settings.gives === 'transport') {
      this.#play(countInBars);
      return;
    }
    if (source.settings.language !== 'clock' || this.#playsItself(source)) return;
    this.#startOnTicks(source, (gridMs) => {
      const beat = toSixteenth(this.#timeline.at(gridMs).beat);
      return { beat, countIn: this.#barsToBeats(countInBars, beat) };
    });
  }

  /** After some bars at the song's tempo, if there is to be a pause. */
  #playOrWait(countInBars: number, afterBars: number): void {
    const { beat } = this.#timeline.at(this.#horizonMs);
    const pauseMs = this.#song.msAt(beat + this.#barsToBeats(afterBars, beat)) - this.#song.msAt(beat);
    if (pauseMs > 0) this.#playsLater = { atMs: this.#nextTurnMs() + pauseMs, countInBars };
    else this.#playByHand(countInBars);
  }

  /** The song ends where it ends, and a pause between songs where the next one begins. */
  #playOn(): void {
    const later = this.#playsLater;
    const turnMs = this.#nextTurnMs();
    if (later && later.atMs <= turnMs) {
      this.#playsLater = null;
      if (!this.#willRoll()) this.#playByHand(later.countInBars);
    }
    const motion =
      this.#pastEnd || this.#endBeat === null || !this.#hasOwnTransport() ? null : this.#timeline.motionAt(turnMs);
    if (!motion || !this.#willRoll() || this.#endBeat === null || this.#playedFrom >= this.#endBeat) return;
    const endMs = msOfBeat(motion, this.#endBeat);
    if (endMs > turnMs + END_WITHIN_MS) return;
    this.#songsEnded++;
    this.#stop(Math.max(endMs, turnMs));
  }

  /** Nobody who plays on takes over from a musician who stops. */
  #stopByHand(): void {
    this.#playsLater = null;
    if (this.#willRoll()) this.#stop(this.#nextTurnMs());
    if (this.#leaders.takeOver !== 'whoeverPlays') return;
    this.#leaders.passOver();
    this.#lead(HUB);
  }

  /** The first tick that can still be reached is at this beat of the song, after a count-in. */
  #startOnTicks(source: Source, from: (gridMs: number) => { beat: number; countIn?: number }): void {
    const gridMs = this.#nextTurnMs();
    const lead = source.ticksAt(this.#nowMs, gridMs - this.#nowMs, this.#heardUntilMs);
    if (lead?.state !== 'locked') return;
    const { beat, countIn = 0 } = from(gridMs);
    this.#startOnTick(lead, gridMs, toTick(lead.beat), { beat, countIn });
  }

  #startOnTick(lead: Lead, gridMs: number, tick: number, at: { beat: number; countIn?: number }): void {
    const { beat, countIn = 0 } = at;
    const startMs = gridMs + ((tick - lead.beat) * 60_000) / lead.bpm;
    this.#stoodAt = null;
    this.#steeredMs = this.#nowMs;
    this.#start(startMs, beat, { map: evenTempo(lead.bpm), countIn });
    this.#countsFrom = beat - countIn - tick;
    this.#onTicks = true;
  }

  /** Everyone starts on a bar line, a whole number of bars after a downbeat of the clock that leads. */
  #joinOn(downbeatMs: number): void {
    if (this.#leaders.takeOver === 'whoeverPlays' && this.#leaders.hubLeads && !this.#willRoll()) {
      const running = this.#leaders.firstHeard;
      if (running !== undefined) this.#lead(running);
    }
    const { source } = this.#leaders;
    if (!source || this.#playsItself(source) || !Number.isFinite(downbeatMs)) return;
    if (this.#willRoll()) this.#stop(this.#nextTurnMs());
    const gridMs = this.#nextTurnMs();
    const lead = source.ticksAt(this.#nowMs, gridMs - this.#nowMs, this.#heardUntilMs);
    if (lead?.state !== 'locked') return;
    const beat = this.#meter.nextBar(this.#timeline.at(gridMs).beat);
    const downbeat = lead.beat - ((gridMs - downbeatMs) * lead.bpm) / 60_000;
    const bar = this.#barsToBeats(1, beat);
    const bars = Math.ceil((lead.beat - downbeat) / bar);
    const tick = Math.round((downbeat + bars * bar) * TICKS_PER_BEAT) / TICKS_PER_BEAT;
    this.#startOnTick(lead, gridMs, tick < lead.beat ? tick + bar : tick, { beat });
  }

  #barsToBeats(bars: number, atBeat: number): number {
    const { beatsPerBar, beatUnit } = this.#meter.meterAt(atBeat);
    return (bars * beatsPerBar * 4) / beatUnit;
  }

  #standWith(lead: Lead): void {
    const moved = this.#stoodAt !== lead.beat;
    this.#stoodAt = lead.beat;
    if (this.#willRoll()) this.#stop(this.#nextTurnMs(), { beat: Math.max(0, lead.beat) });
    else if (moved && lead.beat >= 0) this.#standAt(this.#nextTurnMs(), lead.beat);
    else if (this.#leaders.byClock && lead.state === 'locked') this.#idleWith(lead.bpm);
  }

  /** Clocks that run while stopped run at the leader's tempo. */
  #idleWith(bpm: number): void {
    const gridMs = this.#nextChangeMs();
    const same = Math.abs(this.#timeline.at(gridMs).bpm / bpm - 1) < SAME_TEMPO;
    if (same || this.#nowMs - this.#steeredMs < STEER_EVERY_MS.steady) return;
    this.#steeredMs = this.#nowMs;
    this.#retime(gridMs, evenTempo(bpm), 1);
  }

  /** On the first reachable sixteenth; there is none before the song begins. */
  #joinLeader(lead: Lead, gridMs: number): void {
    if (lead.state !== 'locked' || lead.speed < 0) return;
    const beat = Math.max(0, Math.ceil(lead.beat * SIXTEENTHS_PER_BEAT) / SIXTEENTHS_PER_BEAT);
    const byClock = this.#leaders.byClock;
    const map = byClock ? evenTempo(lead.bpm) : this.#song;
    const startMs = gridMs + (map.msAt(beat) - map.msAt(lead.beat)) / lead.speed;
    if (startMs - gridMs > SLEEP_MS) return;
    this.#countsFrom = 0;
    this.#stoodAt = null;
    this.#steeredMs = this.#nowMs;
    this.#start(startMs, beat, { map, speed: lead.speed });
  }

  #steer(source: Source, lead: Lead, gridMs: number): void {
    this.#steeredMs = this.#nowMs;
    if (this.#timeline.at(gridMs).state !== 'rolling') return;
    const { language, response = 'steady' } = source.settings;
    const grid = this.#timeline.at(gridMs);
    const counted = lead.beat + this.#countsFrom;
    // While nobody knows which tick it is, the one that the grid is at will do.
    const ticks = lead.unsure ? Math.round((grid.beat - counted) * TICKS_PER_BEAT) : 0;
    const shifted = { ...lead, beat: counted + ticks / TICKS_PER_BEAT };
    const steering = steer(leadMs(shifted, grid, language), response);
    if (steering.kind === 'begin anew') {
      this.#stop(this.#nextTurnMs());
      return;
    }
    const bpm = lead.bpm * steering.factor;
    if (Math.abs(bpm / this.#timeline.at(gridMs).bpm - 1) < SAME_TEMPO) return;
    if (this.#leaders.byClock) this.#retime(gridMs, evenTempo(Math.min(4 * FASTEST_BPM, bpm)), 1);
    else this.#retime(gridMs, this.#song, lead.speed * steering.factor);
  }

  /** The musician plays, stops and locates here. */
  #hasOwnTransport(): boolean {
    const gives = this.#leaders.source?.settings.gives;
    return this.#leaders.hubLeads || gives === 'tempo' || gives === 'transport' || this.#onTicks;
  }

  /** The first in the order leads as soon as it can, unless it was lost before; or whoever plays. */
  #changeOver(): void {
    if (this.#leaders.takeOver === 'whoeverPlays') {
      this.#letPlayersLead();
      return;
    }
    const { first } = this.#leaders;
    if (this.#leaders.id === first) return;
    if (this.#fellBack) this.#takeUpAgain(first);
    else if (!this.#willRoll() || this.#leaders.canLead(first)) this.#lead(first);
  }

  /** Whoever played first keeps it; a leader that is only held up does so, too. */
  #letPlayersLead(): void {
    const rolls = this.#willRoll();
    this.#leaders.watchPlayers((deviceId) => rolls && this.#lines.drives(deviceId));
    if (rolls && (this.#leaders.hubLeads || this.#onTicks || this.#leaders.rolls)) return;
    const { firstPlayer } = this.#leaders;
    if (firstPlayer !== undefined) this.#lead(firstPlayer);
  }

  /** A leader that was lost and returns before long, where it would be by now, leads again as if nothing had happened. */
  #takeUpAgain(first: string): void {
    const { sourceId, atMs, countsFrom } = this.#lost ?? { sourceId: null, atMs: 0, countsFrom: 0 };
    if (sourceId !== first || this.#nowMs - atMs > HOLD_OFF_MS || !this.#leaders.canLead(first)) return;
    const source = this.#leaders.get(first);
    const lead = source?.leadAt(this.#nowMs, 0, this.#song);
    const grid = this.#timeline.at(this.#nowMs);
    if (!source || !lead || grid.state !== 'rolling') return;
    const aheadMs = leadMs({ ...lead, beat: lead.beat + countsFrom }, grid, source.settings.language);
    if (steer(aheadMs, 'steady').kind === 'begin anew') return;
    this.#fellBack = false;
    this.#lead(first);
    this.#countsFrom = countsFrom;
  }

  #lead(id: string): void {
    if (id === this.#leaders.id) return;
    this.#leaders.lead(id);
    this.#stoodAt = null;
    this.#countsFrom = 0;
    this.#onTicks = false;
    this.#resumesOnTicks = null;
    const { beat, state } = this.#timeline.at(this.#nowMs);
    const { source } = this.#leaders;
    const lead = source && this.#leadOf(source, this.#nowMs);
    // A new clock leader has its own beat count. Keep the grid position and store the difference: whole beats, or ticks of
    // a clock whose ticks are all that counts.
    if (lead && this.#leaders.byClock && state === 'rolling') {
      const steps = this.#byTicks(source) ? TICKS_PER_BEAT : 1;
      this.#countsFrom = Math.round((beat - lead.beat) * steps) / steps;
    }
    // Whoever gives the tempo leaves the transport to the musician.
    this.#onTicks = source?.settings.gives === 'tempo' && this.#willRoll();
    // Led by the hub, the grid goes on at the tempo it has; the song's own comes back with the next start.
    this.#lines.keepFrom(this.leader);
  }

  /** The next in the order that can lead takes over; if none can, the grid stops. */
  #fallBack(): void {
    const { next } = this.#leaders;
    if (next === undefined) {
      if (this.#willRoll()) this.#stop(this.#nextTurnMs());
      if (this.#leaders.isGone) this.#leaders.lead(HUB);
      this.#lines.keepFrom(this.leader);
      return;
    }
    this.#fellBack = this.#leaders.takeOver === 'inOrder';
    this.#lost = { sourceId: this.#leaders.id, atMs: this.#nowMs, countsFrom: this.#countsFrom };
    this.#lead(next);
  }

  #play(countInBars: number): void {
    const gridMs = this.#nextTurnMs();
    const beat = toSixteenth(this.#timeline.at(gridMs).beat);
    this.#start(gridMs, beat, { countIn: this.#barsToBeats(countInBars, beat) });
  }

  #start(
    gridMs: number,
    beat: number,
    options: { map?: TempoMap; speed?: number; countIn?: number; songMs?: number } = {},
  ): void {
    const { map = this.#song, speed = 1, countIn = 0 } = options;
    const from = beat - countIn;
    const songMs = options.songMs ?? map.msAt(from);
    for (const planner of this.#lines.playing) planner.start(gridMs, from, { map, songMs, speed, countInTo: beat });
    this.#playedFrom = beat;
    this.#hasPlayed = true;
    this.#resumesOnTicks = this.#playsLater = null;
    this.#timeline.change(gridMs, { rolling: true, beat: from, songMs, map, speed, countInTo: beat });
  }

  /** `beat`: the position after the stop, if not as `afterStop` says; `stays`: it is where it stopped. */
  #stop(gridMs: number, { beat, stays: inPlace = false }: { beat?: number; stays?: boolean } = {}): void {
    this.#lines.stop(gridMs);
    const { beat: stoppedAt, state } = this.#timeline.at(gridMs);
    this.#timeline.change(gridMs, { rolling: false, speed: 1 });
    this.#fellBack = this.#onTicks = false;
    this.#resumesOnTicks = null;
    const stays = state === 'countingIn' ? this.#playedFrom : stoppedAt;
    this.#records = false;
    const after = inPlace ? 'stay' : this.#afterStop;
    const to = beat ?? { stay: stays, toStart: 0, toWherePlayBegan: this.#playedFrom }[after];
    if (to !== stoppedAt) this.#standAt(this.#nextTurnMs(), to);
  }

  #wind(direction: Winding): void {
    if (!this.#hasOwnTransport()) return;
    this.#playsLater = null;
    if (this.#willRoll()) this.#stop(this.#nextTurnMs(), { stays: true });
    const turnMs = this.#nextTurnMs();
    this.#lines.wind(turnMs, direction);
    this.#winding = { direction, placedMs: this.#nowMs, seenFromMs: Infinity };
  }

  #windOn(): void {
    if (!this.#winding) return;
    if (this.#willRoll() || !this.#hasOwnTransport()) {
      this.#endWinding();
      return;
    }
    const { direction, placedMs, seenFromMs } = this.#winding;
    const movedMs = this.#nowMs - placedMs;
    if (movedMs < WIND_EVERY_MS) return;
    const turnMs = this.#nextTurnMs();
    const sign = direction === 'rewind' ? -1 : 1;
    const last = this.#endBeat ?? LAST_SONG_POSITION / SIXTEENTHS_PER_BEAT;
    const beat = this.#timeline.at(turnMs).beat + sign * (movedMs / 1000) * WIND_BEATS_A_SECOND;
    this.#winding = { direction, placedMs: this.#nowMs, seenFromMs: Math.min(seenFromMs, turnMs) };
    if (beat <= 0 || beat >= last) this.#endWinding(beat <= 0 ? 0 : last);
    else this.#standAt(turnMs, toSixteenth(beat));
  }

  /** Machines are located where the song stands: where it is seen, if it was ended by hand. */
  #endWinding(beat?: number): void {
    if (!this.#winding) return;
    const { seenFromMs } = this.#winding;
    this.#winding = null;
    const turnMs = this.#nextTurnMs();
    this.#lines.wind(turnMs, null);
    if (this.#willRoll()) return;
    const { beat: standing } = this.#timeline.at(this.#nowMs >= seenFromMs ? this.#nowMs : turnMs);
    this.#standAt(turnMs, beat ?? toSixteenth(standing));
  }

  #locate(beat: number): void {
    if (!(beat >= 0 && Number.isFinite(beat))) throw new RangeError(`Song position must be 0 or later, not ${beat}.`);
    if (!this.#willRoll()) {
      this.#standAt(this.#nextTurnMs(), beat);
      return;
    }
    // Another leader goes on where it is, so everyone would be stopped, and started again at the old place.
    if (!this.#hasOwnTransport()) return;
    const gridMs = this.#nextTurnMs();
    const { speed } = this.#timeline.motionAt(gridMs) ?? { speed: 1 };
    const songMs = this.#song.msAt(beat);
    for (const planner of this.#lines.planners) {
      planner.stop(gridMs);
      planner.locate(gridMs, beat, { songMs, startsFromThere: true });
    }
    this.#timeline.change(gridMs, { beat, songMs, rolling: false });
    const { source } = this.#leaders;
    if (source && this.#leaders.byClock) this.#startOnTicks(source, () => ({ beat: toSixteenth(beat) }));
    else this.#start(this.#nextTurnMs(), toSixteenth(beat), { speed });
  }

  #standAt(gridMs: number, beat: number): void {
    const songMs = this.#song.msAt(beat);
    for (const planner of this.#lines.planners) planner.locate(gridMs, beat, { songMs });
    this.#timeline.change(gridMs, { beat, songMs, rolling: false });
  }

  #setTempo(bpm: number): void {
    if (!(bpm >= SLOWEST_BPM && bpm <= FASTEST_BPM))
      throw new RangeError(`Tempo must be ${SLOWEST_BPM} to ${FASTEST_BPM} BPM, not ${bpm}.`);
    this.#setMap(evenTempo(bpm));
  }

  #setMap(map: TempoMap): void {
    this.#song = map;
    if (this.#leaders.hasOwnTempo || !this.#willRoll()) this.#retime(this.#nextChangeMs(), map, 1);
  }

  #retime(gridMs: number, map: TempoMap, speed: number): void {
    this.#lines.retime(map, gridMs, speed);
    this.#timeline.change(gridMs, { map, speed });
  }

  #nudge(share: number, feedId?: string): void {
    if (!(Math.abs(share) <= MAX_NUDGE))
      throw new RangeError(`Nudge must be within ± ${MAX_NUDGE * 100}%, not ${share * 100}%.`);
    if (feedId !== undefined) this.#lines.nudge(feedId, share);
    else if (this.#leaders.hasOwnTempo) this.#retime(this.#nextChangeMs(), this.#song, 1 + share);
  }

  /** While a clock leads, an idle feed's clock runs at that clock's tempo. */
  #mapNow(): TempoMap {
    return this.#leaders.byClock ? evenTempo(this.#timeline.at(this.#horizonMs).bpm) : this.#song;
  }

  /** In step with where the lost hub would be by now, at the next sixteenth. */
  #resume(rolled: LostMotion | null): void {
    if (this.#willRoll()) return;
    if (rolled && this.#leaders.takeOver === 'whoeverPlays') this.#lead(this.#leaders.sourceFor(rolled.leader));
    this.#lines.stopAll();
    this.#hasPlayed = true;
    if (!rolled) return;
    const { beat, songMs, atMs, bpm, leader, onTicks = false } = rolled;
    if (onTicks && this.leader === leader) this.#resumesOnTicks = rolled;
    if (leader === HUB && !this.#leaders.hubLeads) {
      // The leader had been lost before, and the musician decides when it leads again.
      this.#fellBack = true;
      this.#lead(HUB);
    }
    // Another leader is joined as soon as it is locked.
    if (!this.#leaders.hubLeads) return;
    // A leader that was lost may have left the grid at a tempo of its own.
    const ownTempo = Math.abs(this.#song.bpmAt(beat) / bpm - 1) < SAME_TEMPO;
    const map = ownTempo ? this.#song : evenTempo(bpm);
    const gone: Motion = { map, speed: 1, fromMs: atMs, beat, songMs };
    const from = toSixteenth(Math.max(0, beatAt(gone, this.#nextTurnMs())));
    const startMs = msOfBeat(gone, from);
    this.#start(startMs, from, { map, songMs: Math.max(0, songMsAt(gone, startMs)) });
  }

  /** Late join: a planner created while the grid is rolling, or about to, starts at the current position. */
  #join(planner: Starting): void {
    const gridMs = this.#nextChangeMs();
    const motion = this.#timeline.motionAt(gridMs);
    if (!motion) {
      if (this.#hasPlayed) planner.invite();
      const now = this.#timeline.at(this.#horizonMs);
      const later = this.#timeline.at(gridMs);
      // A start that was called off is yet to come, and the song stands elsewhere after it.
      const stands = now.state === 'starting' || now.state === 'stopped';
      const moves = stands && now.songMs !== later.songMs;
      planner.stand((moves ? now : later).songMs);
      if (moves) planner.locate(gridMs, later.beat, { songMs: later.songMs });
      return;
    }
    this.#joinsMs = gridMs;
    const { map, beat, songMs, speed } = motion;
    const countInTo = this.#timeline.at(gridMs).state === 'countingIn' ? this.#playedFrom : beat;
    planner.beginsAt(songMs);
    planner.start(gridMs, beat, { map, songMs, speed, countInTo, stopFirst: true });
  }

  /** The state once every pending request has been carried out. */
  #willRoll(): boolean {
    return this.#timeline.rollsInTheEnd;
  }

  /** Stop, start and locate are spaced far enough apart for a follower to see them as separate events. */
  #nextTurnMs(): number {
    const soonestMs = this.#soonestGridMs() + this.#lines.mostEarlyMs;
    return Math.max(soonestMs, this.#timeline.lastChangeMs + TURN_GAP_MS);
  }

  /** When the grid can change next: not before what is pending, nor before a follower that joins with the grid as it is. */
  #nextChangeMs(): number {
    return Math.max(this.#soonestGridMs(), this.#timeline.lastChangeMs, this.#joinsMs);
  }

  /** The first point of the grid beyond everything already sent, even on the feed with the earliest offset. */
  #soonestGridMs(): number {
    return this.#horizonMs + this.#lines.leadMs + 3 * START_LEAD_MS;
  }

  /** Don't catch up after sleep; stop all followers where they are. */
  #wakeUp(nowMs: number): void {
    this.#sleeps++;
    const changes = this.#timeline.lastChangeMs;
    const { beat, songMs, state } = this.#timeline.at(
      this.#willRoll() ? this.#horizonMs : Math.max(this.#horizonMs, changes),
    );
    const begin = { beat: this.#playedFrom, songMs: this.#song.msAt(this.#playedFrom) };
    this.#lines.beginAnew(nowMs);
    this.#timeline.change(nowMs, {
      ...(state === 'countingIn' || beat < 0 ? begin : { beat, songMs }),
      rolling: false,
      speed: 1,
    });
    for (const planner of this.#lines.planners) planner.stand(this.#timeline.at(nowMs).songMs);
    this.#onTicks = this.#records = false;
    this.#playsLater = null;
    this.#horizonMs = nowMs;
  }
}

/** Song position counts sixteenths, so anyone can join there. */
function toSixteenth(beat: number): number {
  return Math.ceil(beat * SIXTEENTHS_PER_BEAT - 1e-6) / SIXTEENTHS_PER_BEAT;
}

/** The first tick at or after a beat. */
function toTick(beat: number): number {
  return Math.ceil(beat * TICKS_PER_BEAT - 1e-6) / TICKS_PER_BEAT;
}

function evenTempo(bpm: number): TempoMap {
  return new TempoMap([{ beat: 0, bpm }]);
}
