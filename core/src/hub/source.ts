import { ClockFollower, type Response } from '../follow/clock-follower';
import type { FollowState } from '../follow/follow-state';
import { TimecodeFollower } from '../follow/timecode-follower';
import type { TimedMessage } from '../midi/message';
import { MidiParser } from '../midi/parser';
import type { TempoMap } from '../tempo/tempo-map';
import { FRAME_RATES, timecodeToFrames, type FrameRate, type Timecode } from '../timecode/timecode';

/** Something that can lead: a port, and in which language it says the time. */
export interface SourceSettings {
  id: string;
  portId: string;
  language: 'clock' | 'timecode';
  response?: Response;
  /** How long it may be silent while it rolls. */
  freewheelMs?: number;
  /** The code at beat 0; without it 00:00:00:00. */
  timecodeStart?: Timecode;
  /** Whether its start, stop, locate and machine control are obeyed while the hub leads. */
  obeys?: boolean;
}

export interface SourceSnapshot {
  id: string;
  state: FollowState;
  rolling: boolean;
  /** What came in during the last moment, whatever is listened for. */
  arrives: 'nothing' | 'clock' | 'timecode';
  bpm: number | null;
  rate: FrameRate | null;
  seconds: number | null;
  /** Where its clock says it is, in quarter notes. */
  beat: number | null;
  missing: number;
  extra: number;
}

/** Where a source says the song is, and how fast it goes. */
export interface Lead {
  state: FollowState;
  rolling: boolean;
  beat: number;
  /** Ms of song time since beat 0. */
  songMs: number;
  /** Beats a minute at that place. */
  bpm: number;
  /** 1 is as the map says; only timecode tells it. */
  speed: number;
}

/** Clock at 20 BPM and the slowest timecode come far more often than this. */
const ARRIVES_MS = 1000;
const MS_PER_MINUTE = 60_000;

/** One port that is listened to, all the time, whether it leads or not. */
export class Source {
  readonly settings: SourceSettings;
  readonly #parser = new MidiParser();
  readonly #clock: ClockFollower;
  readonly #timecode: TimecodeFollower;
  #clockMs = -Infinity;
  #codeMs = -Infinity;

  constructor(settings: SourceSettings) {
    this.settings = settings;
    const { response, freewheelMs } = settings;
    this.#clock = new ClockFollower({
      ...(response && { response }),
      ...(freewheelMs !== undefined && { freewheelMs }),
    });
    this.#timecode = new TimecodeFollower({ ...(freewheelMs !== undefined && { freewheelMs }) });
  }

  receive(bytes: Uint8Array, atMs: number): TimedMessage[] {
    const messages = this.#parser.push(bytes, atMs);
    const follower = this.settings.language === 'clock' ? this.#clock : this.#timecode;
    for (const { message } of messages) {
      follower.push(message, atMs);
      if (message.kind === 'clock') this.#clockMs = atMs;
      if (message.kind === 'quarterFrame') this.#codeMs = atMs;
    }
    return messages;
  }

  /** What it says about the song at a time that may lie a little ahead; null as long as it says nothing. */
  leadAt(nowMs: number, aheadMs: number, map: TempoMap): Lead | null {
    return this.settings.language === 'clock' ? this.#clockLead(nowMs, aheadMs) : this.#codeLead(nowMs, aheadMs, map);
  }

  snapshot(nowMs: number): SourceSnapshot {
    const { id, language } = this.settings;
    const clock = this.#clock.at(nowMs);
    const code = this.#timecode.at(nowMs);
    const { state, rolling } = language === 'clock' ? clock : code;
    const { bpm, missing, extra } = clock;
    const latest = this.#codeMs > this.#clockMs ? 'timecode' : 'clock';
    const arrives = nowMs - Math.max(this.#clockMs, this.#codeMs) < ARRIVES_MS ? latest : 'nothing';
    return {
      id,
      state,
      rolling,
      arrives,
      bpm,
      rate: code.rate,
      seconds: code.seconds,
      beat: clock.beat,
      missing,
      extra,
    };
  }

  #clockLead(nowMs: number, aheadMs: number): Lead | null {
    const { state, rolling, beat, bpm } = this.#clock.at(nowMs);
    if (bpm === null || beat === null) return null;
    const ahead = rolling ? beat + (aheadMs * bpm) / MS_PER_MINUTE : beat;
    return { state, rolling, beat: ahead, songMs: (ahead * MS_PER_MINUTE) / bpm, bpm, speed: 1 };
  }

  #codeLead(nowMs: number, aheadMs: number, map: TempoMap): Lead | null {
    const { state, rolling, rate, seconds, speed } = this.#timecode.at(nowMs);
    if (rate === null || seconds === null) return null;
    const { timecodeStart } = this.settings;
    const startSeconds = timecodeStart ? timecodeToFrames(timecodeStart, rate) / FRAME_RATES[rate].perSecond : 0;
    const songMs = (seconds - startSeconds) * 1000 + aheadMs * speed;
    const beat = map.beatAt(songMs);
    return { state, rolling, beat, songMs, bpm: map.bpmAt(beat) * Math.abs(speed), speed };
  }
}
