export * from './midi/message';
export { encodeMidi } from './midi/encode-midi';
export { MidiParser } from './midi/parser';
export * from './midi/mmc';
export * from './midi/presses';
export * from './timecode/timecode';
export * from './timecode/timecode-messages';
export * from './timecode/code-position';
export * from './tempo/tempo-map';
export * from './tempo/meter-map';
export { songMaps, type Section, type SongMaps } from './tempo/song';
export { TapTempo } from './tempo/tap-tempo';
export * from './feed/feed-settings';
export { stepMs } from './feed/trigger-lane';
export { patchMessages } from './feed/patch-lane';
export { partingMessages } from './feed/parting';
export { FeedPlanner, type StartOptions } from './feed/feed-planner';
export type { FollowState } from './follow/follow-state';
export { ClockFollower, type ClockReading, type Response } from './follow/clock-follower';
export { TimecodeFollower, type TimecodeReading } from './follow/timecode-follower';
export { detectOnsets, type Onset } from './measure/detect-onsets';
export { matchOnsets, type Landing, type Matching } from './measure/match-onsets';
export { againstOwnSync } from './measure/against-own-sync';
export { medianInterval } from './maths/median-interval';
export { measureLatency, reportLatency, type LatencyReport } from './measure/measure-latency';
export { NORMAL_95 } from './maths/fit-line';
export { fitTempo } from './measure/fit-tempo';
export { findBarStart, type Hit } from './measure/find-bar-start';
export { waveformEnvelope, type Envelope } from './measure/waveform';
export * from './measure/analyze-recording';
export type { TakeFinding } from './measure/findings';
export { bleedsInto, cutClicks, type Beside, type Click } from './measure/take-out-click';
export * from './measure/deviations';
export { measureClock, readClock, type ClockMeasurement, type ClockReport } from './measure/measure-clock';
export * from './measure/measure-chase';
export { startsBySound } from './measure/starts-by-sound';
export * from './measure/starts-by-midi';
export * from './measure/program-change';
export { throughHub } from './measure/through-hub';
export { whichInput, type HeardOnInput } from './measure/which-input';
export { measureTempoRun, type TempoChange, type TempoRunReport } from './measure/measure-tempo-run';
export { measureFollowing, type FollowingReport } from './measure/measure-following';
export { driftOf, measureDrift, type DriftReport } from './measure/measure-drift';
export { measureReturnDrift } from './measure/measure-return-drift';
export { compareLandings, type LandingComparison } from './measure/compare-landings';
export * from './measure/lateness-by-section';
export * from './measure/midi-return';
export * from './tempo/song-beats';
export { compareClocks, type ClockComparison } from './measure/compare-clocks';
export { traffic } from './feed/traffic';
export { measureWander, type Wander, type WanderPoint } from './measure/wander';
export { DriftTrace, type Drift } from './measure/drift-trace';
export { BEAT_VIEW_MS, ReturnWatch, type ReturnReading } from './measure/return-watch';
export * from './align/solve-offsets';
export { convertOffset } from './align/convert-offset';
export { ownOffsetFor, ownUnitMs } from './align/own-offset';
export { shiftSound } from './align/shift-sound';
export { poolTakes, type NaturalLateness, type PooledLateness } from './align/pool-takes';
export { parseDuration } from './align/parse-duration';
export * from './hub/hub';
export { HUB, type TakeOver } from './hub/leaders';
export type { Feed } from './hub/lines';
export type { Outgoing } from './hub/outgoing';
export type { HubCommand } from './hub/hub-command';
export type { PortRoute } from './hub/note-router';
export type { Apart, SourceSettings, SourceSnapshot } from './hub/source';
export type { Port } from './hub/port';
export type { GridPosition, TransportState } from './transport/timeline';
export * from './rig/rig';
export * from './rig/sync-paths';
export * from './rig/plan-wires';
export * from './rig/shelf';
export * from './rig/line-check';
export * from './rig/line-test';
export { PROBE_BEATS, probeBeats, probeKind, probeMessages } from './rig/probe';
export * from './rig/controls';
export { channelMap, freeChannel, type PortChannels } from './rig/channel-map';
export * from './rig/checklist';
export { lineTraffic, type Traffic } from './rig/line-traffic';
export { compareLeaders, type Candidate } from './rig/compare-leaders';
export { Lookahead } from './hub/lookahead';
export * from './files/wav';
export { MidiFileError } from './files/smf';
export * from './files/message-file';
export {
  readSongFile,
  readTempoFile,
  writeNotesFile,
  writeSongFile,
  writeTempoFile,
  type PlayedMessage,
} from './files/tempo-file';
export { BOATHOUSE } from './standin/boathouse';
export { Keyboard } from './standin/keyboard';
export { Studio, type StudioSettings } from './standin/studio';
export type { SoundBlock } from './standin/sound-interface';
export * from './network/wire';
export { ClockMatch, type ClockDifference, type Exchange } from './network/clock-match';
export { measureLink, type LinkReport } from './network/measure-link';
export * from './network/session-host';
export {
  DEFAULT_BUFFER_MS,
  type DueBytes,
  type ExchangeRecord,
  type PeerAddress,
  type SessionSnapshot,
} from './network/session';
export { REFUSED, type SessionState } from './network/session-states';
export { plainName } from './network/session-packets';
export { Link, type LinkSettings } from './standin/link';
