import { ClockFollower, type Response } from '../follow/clock-follower';
import type { FollowState } from '../follow/follow-state';
import { SyncReturnWatch, type SyncReturn } from '../follow/sync-return';
import { TimecodeFollower } from '../follow/timecode-follower';
import { TICKS_PER_BEAT, type MidiMessage, type TimedMessage } from '../midi/message';
import { MidiParser } from '../midi/parser';
import type { HubCommand } from './hub-command';
import { remoteCommands } from './remote';
import type { TempoMap } from '../tempo/tempo-map';
import { CodeReader, type CodeAt } from '../timecode/code-reader';
import { codeAtRate, FRAME_RATES, timecodeToFrames, type FrameRate, type Timecode } from '../timecode/timecode';
import type { GridPosition } from '../transport/timeline';

/** A possible leader: a port and the sync it sends. */
export interface SourceSettings {
  id: string;
  /** The device it belongs to, if it is one of several of that device; it leads under this id. */
  gearId?: string;
  portId: string;
  language: 'clock' | 'timecode';
  /** What a clock rules while it leads; both by default. */
  gives?: 'both' | 'tempo' | 'transport';
  response?: Response;
  /** How long it may be silent while rolling. */
  freewheelMs?: number;
  /** The code at beat 0; defaults to 00:00:00:00. */
  timecodeStart?: Timecode;
  /** Added to the times of its sync, ms: plus is later. Brings everyone onto its sound. */
  offsetMs?: number;
  /** Whether its start, stop, locate and machine control are obeyed while the hub leads. */
  obeys?: boolean;
}

export interface SourceSnapshot {
  id: string;
  /** Under which it leads. */
  gearId: string;
  portId: string;
  state: FollowState;
  rolling: boolean;
  /** What arrived recently, regardless of what is followed. */
  receiving: 'nothing' | 'clock' | 'timecode';
  bpm: number | null;
  rate: FrameRate | null;
  seconds: number | null;
  /** Song position of its clock, in quarter notes. */
  beat: number | null;
  /** Of a clock, ticks; of timecode, codes that were cut off. */
  missing: number;
  extra: number;
  /** Machine control that arrived here and does nothing, by name, the newest first. */
  ignored: string[];
  /** How far it is from the hub's grid; null while there is nothing to compare. */
  apart: Apart | null;
  /** How far its timecode is behind the first one that rolls, in the order of the leaders; null if it is the first. */
  behind: Behind | null;
}

/** Timecode compared with another source’s, whether the hub rolls or not. */
export interface Behind extends SyncReturn {
  /** The other source. */
  id: string;
}

/** The code of another source at a time, s since midnight. */
export interface OtherCode {
  id: string;
  secondsAt: (ms: number) => number | null;
}

/** A device and the hub compared by MIDI alone, without sound. */
export type Apart =
  | ({ kind: 'rolling'; by: 'clock' | 'timecode' } & SyncReturn)
  /** Both are stopped: how far its position is past the hub's, in quarter notes or, of timecode, ms. */
  | { kind: 'stopped'; beats: number }
  | { kind: 'stopped'; ms: number };

/** A source's song position and speed. */
export interface Lead {
  state: FollowState;
  rolling: boolean;
  beat: number;
  /** Song time since beat 0, ms. */
  songMs: number;
  /** Tempo at that position, BPM. */
  bpm: number;
  /** 1 is the map's speed; only timecode can differ. */
  speed: number;
  /** Known only within its tick. */
  unsure: boolean;
}

/** Clock at 20 BPM and the slowest timecode arrive far more often than this. */
const SIGNAL_TIMEOUT_MS = 1000;
const MS_PER_MINUTE = 60_000;
const MOST_IGNORED = 8;
const DAY_MS = 86_400_000;

/** One input port, listened to at all times, whether it leads or not. */
export class Source {
  #settings: SourceSettings;
  readonly #parser = new MidiParser();
  readonly #clock: ClockFollower;
  readonly #timecode: TimecodeFollower;
  readonly #codes = new CodeReader();
  readonly #returns = new SyncReturnWatch();
  readonly #besides = new SyncReturnWatch();
  #besideId: string | null = null;
  /** It has said where it is. */
  #placed = false;
  #clockMs = -Infinity;
  #codeMs = -Infinity;
  #ignored: string[] = [];

  constructor(settings: SourceSettings) {
    this.#settings = settings;
    const { response, freewheelMs } = settings;
    this.#clock = new ClockFollower({
      ...(response && { response }),
      ...(freewheelMs !== undefined && { freewheelMs }),
    });
    this.#timecode = new TimecodeFollower({ ...(freewheelMs !== undefined && { freewheelMs }) });
  }

  get settings(): SourceSettings {
    return this.#settings;
  }

  /** Takes over an offset while it follows; false if anything else changes. */
  change(settings: SourceSettings): boolean {
    if (exceptOffset(this.#settings) !== exceptOffset(settings)) return false;
    this.#settings = settings;
    return true;
  }

  /** What a message asks of the hub, for a source that is obeyed. */
  commands(message: MidiMessage, song: TempoMap): HubCommand[] {
    const { commands, ignored } = remoteCommands(message, this.#settings, song);
    for (const name of ignored)
      this.#ignored = [name, ...this.#ignored.filter((other) => other !== name)].slice(0, MOST_IGNORED);
    return commands;
  }

  /** `gridAt`: the hub's grid at a time of the recent past, to compare with; `other`: another code to compare with. */
  receive(
    bytes: Uint8Array,
    atMs: number,
    gridAt: (ms: number) => GridPosition,
    other: OtherCode | null = null,
  ): TimedMessage[] {
    const messages = this.#parser.push(bytes, atMs);
    const follower = this.#settings.language === 'clock' ? this.#clock : this.#timecode;
    for (const { message } of messages) {
      follower.push(message, atMs);
      if (message.kind === 'clock') this.#clockMs = atMs;
      if (message.kind === 'quarterFrame') this.#codeMs = atMs;
      this.#compare(message, atMs, gridAt, other);
    }
    return messages;
  }

  /** Its song position at a time, which may be slightly ahead; null while unknown. */
  leadAt(nowMs: number, aheadMs: number, map: TempoMap, heardUntilMs = nowMs): Lead | null {
    const { language, offsetMs = 0 } = this.#settings;
    return language === 'clock'
      ? this.#clockLead(nowMs, aheadMs - offsetMs, heardUntilMs)
      : this.#codeLead(nowMs, aheadMs - offsetMs, map, heardUntilMs);
  }

  /**
   * The same by its ticks alone, for a clock that runs without having been started here: `beat` counts on from an unknown
   * place.
   */
  ticksAt(nowMs: number, aheadMs: number, heardUntilMs = nowMs): Lead | null {
    const { bpm, counted, miscounted, state } = this.#clock.at(nowMs, heardUntilMs);
    if (bpm === null || counted === null || this.#settings.language !== 'clock') return null;
    const { offsetMs = 0 } = this.#settings;
    const beat = counted + ((aheadMs - offsetMs) * bpm) / MS_PER_MINUTE;
    return {
      state: state === 'locked' && miscounted ? 'settling' : state,
      rolling: state !== 'silent' && state !== 'lost',
      beat,
      songMs: (beat * MS_PER_MINUTE) / bpm,
      bpm,
      speed: 1,
      unsure: miscounted,
    };
  }

  /** `heardUntilMs`: what arrived later isn't known yet, because this machine stood still. */
  snapshot(nowMs: number, heardUntilMs = nowMs): Omit<SourceSnapshot, 'apart'> {
    const { id, gearId = id, portId, language } = this.#settings;
    const clock = this.#clock.at(nowMs, heardUntilMs);
    const code = this.#timecode.at(nowMs, heardUntilMs);
    const { state, rolling } = language === 'clock' ? clock : code;
    const { bpm, extra } = clock;
    const latest = this.#codeMs > this.#clockMs ? 'timecode' : 'clock';
    const receiving = heardUntilMs - Math.max(this.#clockMs, this.#codeMs) < SIGNAL_TIMEOUT_MS ? latest : 'nothing';
    return {
      id,
      gearId,
      portId,
      state,
      rolling,
      receiving,
      bpm,
      rate: code.rate,
      seconds: code.seconds,
      beat: clock.beat,
      missing: language === 'clock' ? clock.missing : this.#codes.gaps,
      extra,
      ignored: this.#ignored,
      behind: this.#behindAt(nowMs),
    };
  }

  /** How far it is from the hub's grid, which is there now. */
  apart(nowMs: number, map: TempoMap, grid: GridPosition): Apart | null {
    const { language } = this.#settings;
    if (grid.state === 'rolling') {
      const { reading } = this.#returns;
      return reading && { kind: 'rolling', by: language, ...reading };
    }
    const lead = language === 'clock' ? this.#clockLead(nowMs, 0, nowMs) : this.#codeLead(nowMs, 0, map, nowMs);
    if (grid.state !== 'stopped' || !lead || lead.rolling || !this.#placed) return null;
    return language === 'clock'
      ? { kind: 'stopped', beats: lead.beat - grid.beat }
      : { kind: 'stopped', ms: lead.songMs - grid.songMs };
  }

  /** Its timecode at a time of the recent past, s since midnight; null unless it rolls. */
  secondsAt(ms: number): number | null {
    const { state, rolling, seconds } = this.#timecode.at(ms);
    return this.#settings.language === 'timecode' && state === 'locked' && rolling ? seconds : null;
  }

  #behindAt(nowMs: number): Behind | null {
    const { reading } = this.#besides;
    if (!reading || this.#besideId === null || nowMs - this.#codeMs > SIGNAL_TIMEOUT_MS) return null;
    return { id: this.#besideId, ...reading };
  }

  #compare(message: MidiMessage, atMs: number, gridAt: (ms: number) => GridPosition, other: OtherCode | null): void {
    const byClock = this.#settings.language === 'clock';
    switch (message.kind) {
      case 'start':
      case 'continue':
      case 'songPosition':
        this.#placed ||= byClock;
        if (byClock && message.kind !== 'songPosition') this.#returns.forget();
        return;
      case 'clock':
        if (byClock) this.#compareTick(atMs, gridAt(atMs));
        return;
      case 'quarterFrame': {
        this.#placed ||= !byClock;
        const code = byClock ? null : this.#codes.push(message, atMs);
        if (!code) return;
        this.#compareCode(code, gridAt(code.atMs));
        this.#compareWith(other, code);
      }
    }
  }

  #compareTick(atMs: number, grid: GridPosition): void {
    const { state, rolling, beat } = this.#clock.at(atMs);
    if (grid.state !== 'rolling') this.#returns.forget();
    else if (state === 'locked')
      this.#returns.tick(rolling && beat !== null ? Math.round(beat * TICKS_PER_BEAT) : null, grid);
  }

  #compareCode({ seconds, rate }: CodeAt, grid: GridPosition): void {
    if (grid.state !== 'rolling') {
      this.#returns.forget();
      return;
    }
    this.#returns.code(withinDay(grid.songMs - 1000 * (seconds - this.#startSeconds(rate))));
  }

  #compareWith(other: OtherCode | null, { seconds, atMs }: CodeAt): void {
    const otherSeconds = other?.secondsAt(atMs) ?? null;
    if (this.#besideId !== (other?.id ?? null) || otherSeconds === null) this.#besides.forget();
    this.#besideId = other?.id ?? null;
    if (otherSeconds !== null) this.#besides.code(withinDay(1000 * (otherSeconds - seconds)));
  }

  #clockLead(nowMs: number, aheadMs: number, heardUntilMs: number): Lead | null {
    const { state, rolling, beat, bpm, unsure } = this.#clock.at(nowMs, heardUntilMs);
    if (bpm === null || beat === null) return null;
    const ahead = rolling ? beat + (aheadMs * bpm) / MS_PER_MINUTE : beat;
    return { state, rolling, beat: ahead, songMs: (ahead * MS_PER_MINUTE) / bpm, bpm, speed: 1, unsure };
  }

  #codeLead(nowMs: number, aheadMs: number, map: TempoMap, heardUntilMs: number): Lead | null {
    const { state, rolling, rate, seconds, speed } = this.#timecode.at(nowMs, heardUntilMs);
    if (rate === null || seconds === null) return null;
    const songMs = (seconds - this.#startSeconds(rate)) * 1000 + aheadMs * speed;
    const beat = map.beatAt(songMs);
    return { state, rolling, beat, songMs, bpm: map.bpmAt(beat) * Math.abs(speed), speed, unsure: false };
  }

  /** The start is a code of the song's rate, which the incoming rate may lack. */
  #startSeconds(rate: FrameRate): number {
    const { timecodeStart } = this.#settings;
    const start = timecodeStart ? timecodeToFrames(codeAtRate(timecodeStart, rate), rate) : 0;
    return start / FRAME_RATES[rate].perSecond;
  }
}

/** Timecode begins anew at midnight. */
function withinDay(ms: number): number {
  return ms - DAY_MS * Math.round(ms / DAY_MS);
}

function exceptOffset(settings: SourceSettings): string {
  return JSON.stringify(settings, (key, value: unknown) => (key === 'offsetMs' ? undefined : value));
}
