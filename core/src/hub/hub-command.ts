import type { Winding } from '../feed/feed-planner';

/** A request to the hub. */
export type HubCommand =
  /**
   * Immediately, or after the song's count-in, and after so many bars of silence; `pastEnd`: it doesn't stop where the
   * song ends.
   */
  | { kind: 'play'; countIn?: boolean; afterBars?: number; pastEnd?: boolean }
  /** Stops in place, wherever a stop would go. */
  | { kind: 'pause' }
  /** Stops in place and winds, until the next transport command or the end of the song. */
  | { kind: 'wind'; direction: Winding }
  /** Switches recording on or off, on gear that may be armed: while it plays, or from the next start on. */
  | { kind: 'record'; on: boolean }
  | { kind: 'stop' }
  /** This was a downbeat of the clock that leads without having been started: everyone starts on one of the next. */
  | { kind: 'downbeat'; atMs: number }
  | { kind: 'locate'; beat: number }
  | { kind: 'tempo'; bpm: number }
  | { kind: 'offset'; feedId: string; offsetMs: number }
  /** Nudges the grid, or one follower, by a share of its speed (0.03 is 3% faster); 0 ends the nudge. */
  | { kind: 'nudge'; share: number; feedId?: string }
  /** Stops one follower and keeps it stopped; starts it again in sync. */
  | { kind: 'hold'; feedId: string }
  | { kind: 'release'; feedId: string }
  /** Mutes or unmutes all MIDI to it. */
  | { kind: 'mute'; feedId: string; muted: boolean }
  /** Only these feeds are sent, muted ones excepted; null is all. */
  | { kind: 'solo'; feedIds: readonly string[] | null }
  /** Its port was reconnected: restart it, in sync if the grid rolls. */
  | { kind: 'rejoin'; feedId: string }
  /**
   * Goes on for a hub that was lost. Everyone is stopped, as nobody knows what they missed, and started again in step
   * with where the lost hub would be by now; `rolled` is null if it didn't roll.
   */
  | { kind: 'resume'; rolled: LostMotion | null };

/** How the grid of a lost hub rolled: at `beat`, and `songMs` of song time, at `atMs`; and who led it. */
export interface LostMotion {
  beat: number;
  songMs: number;
  atMs: number;
  bpm: number;
  leader: string;
  /** It rolled on the ticks of a clock that hadn't been started. */
  onTicks?: boolean;
}
