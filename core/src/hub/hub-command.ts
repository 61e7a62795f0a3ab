/** Something that somebody asks of the hub. */
export type HubCommand =
  /** At once, or after the song's count-in. */
  | { kind: 'play'; countIn?: boolean }
  | { kind: 'stop' }
  | { kind: 'locate'; beat: number }
  | { kind: 'tempo'; bpm: number }
  | { kind: 'offset'; feedId: string; offsetMs: number }
  /** Leans on the grid, or on one follower, by a share of its speed (0.03 is 3 percent faster); 0 lets go. */
  | { kind: 'nudge'; share: number; feedId?: string }
  /** Stops one follower and keeps it stopped; starts it again in step. */
  | { kind: 'hold'; feedId: string }
  | { kind: 'release'; feedId: string }
  /** Sends it nothing, or sends to it again. */
  | { kind: 'mute'; feedId: string; muted: boolean }
  /** Its port came back: begin anew with it, in step if the grid rolls. */
  | { kind: 'rejoin'; feedId: string };
