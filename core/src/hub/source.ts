import { ClockFollower, type Response } from '../follow/clock-follower';
import type { FollowState } from '../follow/follow-state';
import { TimecodeFollower } from '../follow/timecode-follower';
import type { TimedMessage } from '../midi/message';
import { MidiParser } from '../midi/parser';
import type { TempoMap } from '../tempo/tempo-map';
import { codeAtRate, FRAME_RATES, timecodeToFrames, type FrameRate, type Timecode } from '../timecode/timecode';

/** A possible leader: a port and the sync it sends. */
export interface SourceSettings {
  id: string;
  /** The device it belongs to, if it is one of several of that device; it leads under this id. */
  gearId?: string;
  portId: string;
  language: 'clock' | 'timecode';
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
  missing: number;
  extra: number;
}

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

/** One input port, listened to at all times, whether it leads or not. */
export class Source {
  #settings: SourceSettings;
  readonly #parser = new MidiParser();
  readonly #clock: ClockFollower;
  readonly #timecode: TimecodeFollower;
  #clockMs = -Infinity;
  #codeMs = -Infinity;

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

  receive(bytes: Uint8Array, atMs: number): TimedMessage[] {
    const messages = this.#parser.push(bytes, atMs);
    const follower = this.#settings.language === 'clock' ? this.#clock : this.#timecode;
    for (const { message } of messages) {
      follower.push(message, atMs);
      if (message.kind === 'clock') this.#clockMs = atMs;
      if (message.kind === 'quarterFrame') this.#codeMs = atMs;
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

  /** `heardUntilMs`: what arrived later isn't known yet, because this machine stood still. */
  snapshot(nowMs: number, heardUntilMs = nowMs): SourceSnapshot {
    const { id, gearId = id, portId, language } = this.#settings;
    const clock = this.#clock.at(nowMs, heardUntilMs);
    const code = this.#timecode.at(nowMs, heardUntilMs);
    const { state, rolling } = language === 'clock' ? clock : code;
    const { bpm, missing, extra } = clock;
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
      missing,
      extra,
    };
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
    const { timecodeStart } = this.#settings;
    // The start is a code of the song's rate, which the incoming rate may lack.
    const start = timecodeStart ? timecodeToFrames(codeAtRate(timecodeStart, rate), rate) : 0;
    const startSeconds = start / FRAME_RATES[rate].perSecond;
    const songMs = (seconds - startSeconds) * 1000 + aheadMs * speed;
    const beat = map.beatAt(songMs);
    return { state, rolling, beat, songMs, bpm: map.bpmAt(beat) * Math.abs(speed), speed, unsure: false };
  }
}

function exceptOffset(settings: SourceSettings): string {
  return JSON.stringify(settings, (key, value: unknown) => (key === 'offsetMs' ? undefined : value));
}
