import type { HubSnapshot, PortRoute, SongSettings } from '@metronomo/core';
import { create } from 'zustand';
import type { RibbonLine } from '../hub/protocol';
import type { LiveReadings } from '../measure/protocol';
import type { Rig } from '../store/records';

/** What a measurement asks of the hub beyond the rig, until it is over. */
export interface Experiment {
  /** Driven by notes instead of by what the rig says. */
  byNotes?: readonly string[];
  /** Instead of the rig's song. */
  song?: SongSettings;
  /** The only gear that is heard; null is nobody. */
  alone?: string | null;
  /** Instead of the rig's routes. */
  routes?: PortRoute[];
}

interface SessionState {
  rig: Rig | null;
  experiment: Experiment;
  /** The leader during a trial, instead of the rig’s order; null outside a trial. */
  trialLeader: string | null;
  /** It is shown, but nothing runs yet. */
  starting: boolean;
  snapshot: HubSnapshot;
  /** Time of the snapshot, in ms of the window's clock. */
  snapshotAtMs: number;
  ribbon: RibbonLine[];
  live: LiveReadings | null;
  /**
   * The open input; null if there is none. `fromTrack`: read beside Web Audio, so that it can’t be played through the page,
   * and clicks can’t be counted in its frames.
   */
  input: { label: string; channels: number; sampleRate: number; fromTrack?: boolean } | null;
  inputProblem: string | null;
  /** The sound card's last reported buffer, whole ms; null until audio has flowed. */
  bufferMs: number | null;
  /** Why a worker doesn't run any more; null while all is well. */
  engineProblem: string | null;
  /** When the page was last blocked for so long that messages were left out, and for how long, ms. */
  blocked: { atMs: number; ms: number } | null;
  /** The worker lost last, and why. */
  lost: { which: 'hub' | 'measure'; why: string } | null;
  /** Triggers that play their fill, by id. */
  fills: readonly string[];
  undo: Rig[];
  redo: Rig[];
}

const AT_REST: HubSnapshot = {
  state: 'stopped',
  willRoll: false,
  beat: 0,
  songMs: 0,
  bpm: 120,
  leader: 'hub',
  onTicks: false,
  records: false,
  songsEnded: 0,
  winds: null,
  playsInMs: null,
  sources: [],
  held: [],
  muted: [],
  faults: [],
  preRollMs: 0,
  lookaheadMs: 60,
  messages: 0,
  sleeps: 0,
};

/** Live state of the studio, shared by all views. */
export const useSession = create<SessionState>(() => ({
  rig: null,
  experiment: {},
  trialLeader: null,
  starting: true,
  snapshot: AT_REST,
  snapshotAtMs: 0,
  ribbon: [],
  live: null,
  input: null,
  inputProblem: null,
  bufferMs: null,
  engineProblem: null,
  blocked: null,
  lost: null,
  fills: [],
  undo: [],
  redo: [],
}));
