import { BEATS_PER_BAR } from '@metronomo/core';
import { songOf } from '../hub/feeds';
import { command, hub, measure, useSession } from '../hub/session';
import { keepCalibration } from '../store/calibrations';
import { database } from '../store/database';
import type { Gear, Rig, Take, TakePlan } from '../store/records';
import { tempoPlan } from './analyze-take';
import { obstacle, takeWindow } from './take-flow';
import {
  waitForHub,
  delay,
  newTake,
  record,
  stopHub,
  runExclusively,
  useTakeFlow,
  wasEnded,
  watchStop,
} from './take-parts';

const LEAD_IN_MS = 60;
/** Time for the tail of the last beat, and for the slowest gear. */
const TAIL_MS = 600;

function rigInUse(): Rig {
  const { rig } = useSession.getState();
  if (!rig) throw new Error('No rig is open. Open one in Rig.');
  return rig;
}

/**
 * @throws Error with a message for the musician if another device leads, because then the hub doesn't control start and
 * tempo.
 */
function hubMustLead(): void {
  if (useSession.getState().snapshot.leader !== 'hub')
    throw new Error(
      'The hub must lead for this test, because it starts playback and changes the tempo. Make the hub the leader in Rig.',
    );
}

const CALIBRATION_BARS = 4;

/** Audio round trip: the hub's click through a cable back into `channel`, against its due time. */
export async function runCalibration(channel: number): Promise<Take | null> {
  const rig = rigInUse();
  const wasRolling = useSession.getState().snapshot.state === 'rolling';
  const take = await runExclusively(
    [],
    async () => {
      if (!useSession.getState().input) throw new Error('No audio input is open. Open one in Rig.');
      if (!wasRolling) command({ kind: 'play' });
      await waitForHub('rolling');
      const { fromMs, toMs, firstMs } = takeWindow(CALIBRATION_BARS);
      const beats = { bpm: useSession.getState().snapshot.bpm, firstBeatMs: firstMs };
      const bare = newTake(rig, [], { plan: { question: 'calibration' }, beats });
      const unwatch = watchStop();
      try {
        return await record({ ...bare, lines: [pathLine(channel)] }, fromMs, toMs);
      } finally {
        unwatch();
      }
    },
    async () => {
      if (!wasRolling) await stopHub();
    },
  );
  const report = take?.lines[0]?.report;
  if (take && report?.believable)
    await keepCalibration({
      input: take.input,
      sampleRate: take.sampleRate,
      roundTripMs: report.medianMs,
      bufferMs: take.conditions?.bufferMs ?? null,
      takeId: take.id,
      at: take.startedAt,
    });
  return take;
}

function pathLine(channel: number): Take['lines'][number] {
  return {
    gearId: null,
    name: 'Loopback',
    channel,
    offsetMs: 0,
    report: null,
    landings: [],
    pulsesMs: [],
    onsetsMs: [],
  };
}

const CHASE_PAUSE_MS = 1200;
/** Time for the hub to start, and to stop. */
const CHASE_TURN_MS = 400;

export interface ChaseSettings {
  gear: Gear;
  channel: number;
  starts: number;
  /** Duration of each run. */
  runMs: number;
  /** Tempo of the click recorded on the follower, from the start of the song. */
  bpm: number;
}

/** Starts timecode repeatedly and measures where the follower lands. */
export function runChase({ gear, channel, starts, runMs, bpm }: ChaseSettings): Promise<Take | null> {
  const rig = rigInUse();
  return runExclusively(
    [gear],
    async () => {
      hubMustLead();
      const problem = obstacle(rig, [{ ...gear, returnChannel: channel }], useSession.getState().input);
      if (problem !== null) throw new Error(problem);
      await stopHub();
      await hub.setSong({ ...songOf(rig), tempo: [{ beat: 0, bpm }], afterStop: 'toStart' });
      const bare = newTake(rig, [{ ...gear, returnChannel: channel }], { plan: { question: 'chase', startedMs: [] } });
      const fromMs = performance.now();
      const toMs = fromMs + starts * (runMs + CHASE_PAUSE_MS + 2 * CHASE_TURN_MS);
      const recorded = record({ ...bare, bpm }, fromMs, toMs + TAIL_MS, 'repeated starts');
      const over = { yet: false };
      void recorded.finally(() => (over.yet = true));
      const startedMs: number[] = [];
      for (let i = 0; i < starts && !over.yet; i++) {
        command({ kind: 'locate', beat: 0 });
        command({ kind: 'play', countIn: false });
        await waitForHub('rolling');
        startedMs.push(whenItBegan());
        await measure.planTake({ question: 'chase', startedMs });
        await Promise.race([recorded, delay(runMs)]);
        await stopHub();
        await Promise.race([recorded, delay(CHASE_PAUSE_MS)]);
      }
      await measure.completeTake();
      return recorded;
    },
    restore,
  );
}

const TEMPO_BARS = 4;

/** A tempo step and a ramp back, and how every follower handles them. */
export function runTempo(gear: readonly Gear[], share: number): Promise<Take | null> {
  const rig = rigInUse();
  return runExclusively(
    gear,
    async () => {
      hubMustLead();
      const problem = obstacle(rig, gear, useSession.getState().input);
      if (problem !== null) throw new Error(problem);
      await stopHub();
      const beats = TEMPO_BARS * BEATS_PER_BAR;
      const change = { bpm: rig.bpm, otherBpm: rig.bpm * (1 + share), beats };
      const { bpm, otherBpm } = change;
      const map = tempoPlan(change);
      await hub.setSong({
        ...songOf(rig),
        tempo: [
          { beat: 0, bpm },
          { beat: beats, bpm: otherBpm },
          { beat: 2 * beats, bpm: otherBpm, curve: 'linear' },
          { beat: 3 * beats, bpm },
        ],
        afterStop: 'toStart',
      });
      command({ kind: 'locate', beat: 0 });
      // With count-in, so that everyone is locked on the first beat.
      command({ kind: 'play', countIn: true });
      await waitForHub('rolling');
      const beganMs = whenItBegan();
      const plan: TakePlan = { question: 'tempo', beganMs, ...change };
      const unwatch = watchStop();
      try {
        const toMs = beganMs + map.msAt(4 * beats - 1) + TAIL_MS;
        return await record(newTake(rig, gear, { plan }), beganMs - LEAD_IN_MS, toMs, 'tempo test');
      } finally {
        unwatch();
      }
    },
    restore,
  );
}

/** When the song was at its start, in window time. */
function whenItBegan(): number {
  const { snapshot, snapshotAtMs } = useSession.getState();
  return snapshotAtMs - snapshot.songMs;
}

/** Stops and restores the rig's own song. */
async function restore(): Promise<void> {
  await stopHub();
  await hub.setSong(songOf(rigInUse()));
}

const WRITE_EVERY_MS = 1000;
/** Time to start, and for everyone to lock. */
const SETTLE_MS = 6000;

/** A long run: every landing is stored as it is detected; the audio isn't kept. */
export function runDrift(gear: readonly Gear[], seconds: number): Promise<Take | null> {
  const rig = rigInUse();
  const wasRolling = useSession.getState().snapshot.state === 'rolling';
  return runExclusively(
    gear,
    async () => {
      const problem = obstacle(rig, gear, useSession.getState().input);
      if (problem !== null) throw new Error(problem);
      if (!wasRolling) command({ kind: 'play' });
      await waitForHub('rolling');
      await delay(wasRolling ? 0 : SETTLE_MS);
      const take = newTake(rig, gear, { plan: { question: 'drift' } });
      await database.takes.put(take);
      const ending = await writeLandings(take, seconds);
      await database.takes.update(take.id, ending ? { status: 'interrupted', ending } : { status: 'done' });
      return measure.analyze(take.id);
    },
    async () => {
      if (!wasRolling) await stopHub();
    },
  );
}

/** Returns why it ended early; null if it didn't. */
async function writeLandings(take: Take, seconds: number): Promise<string | null> {
  const channels = take.lines.map(({ channel }) => channel);
  const lastHits = new Map<number, number>();
  let fresh: number[] = [];
  const unsubscribe = useSession.subscribe(({ live }, before) => {
    if (!live || live === before.live) return;
    for (const channel of channels) {
      const reading = live.readings[channel];
      const newest = reading?.landings.at(-1);
      if (!reading || reading.lastHitMs === null || !newest) continue;
      if (reading.lastHitMs <= (lastHits.get(channel) ?? -Infinity)) continue;
      lastHits.set(channel, reading.lastHitMs);
      fresh.push(channel, reading.lastHitMs - newest.lateMs, newest.lateMs);
    }
  });
  const beganMs = performance.now();
  try {
    for (let index = 0; ; index++) {
      await delay(WRITE_EVERY_MS);
      const times = Float64Array.from(fresh);
      fresh = [];
      if (times.length > 0) await database.ticks.add({ takeId: take.id, index, times });
      const capturedSeconds = (performance.now() - beganMs) / 1000;
      useTakeFlow.setState({ flow: { state: 'recording', progress: { capturedSeconds, wantedSeconds: seconds } } });
      if (wasEnded()) return 'Take finished early.';
      if (useSession.getState().snapshot.state !== 'rolling') return 'The hub stopped during the take.';
      if (capturedSeconds >= seconds) return null;
    }
  } finally {
    unsubscribe();
  }
}

const LOOP_NOTES = 64;
const LOOP_EVERY_MS = 120;
const LOOP_LEAD_MS = 500;
const LOOP_NOTE = 61;
const LOOK_EVERY_MS = 250;

/** MIDI round trip: notes out of one port and back in on another, through a cable or a thru. */
export function runLoop(
  out: { portId: string; name: string },
  back: { portId: string; name: string },
  channel: number,
): Promise<Take | null> {
  const rig = rigInUse();
  return runExclusively(
    [],
    async () => {
      if (useSession.getState().snapshot.state !== 'stopped')
        throw new Error('Stop playback first. Otherwise clock and test notes would delay each other.');
      const take = newTake(rig, [], { plan: { question: 'loop' } });
      const firstMs = performance.now() + LOOP_LEAD_MS;
      const pulsesMs = Array.from({ length: LOOP_NOTES }, (_, i) => firstMs + i * LOOP_EVERY_MS);
      await hub.keepArrivals(back.portId);
      await hub.sendTest(
        pulsesMs.flatMap((atMs) => [
          { portId: out.portId, bytes: Uint8Array.of(0x8f + channel, LOOP_NOTE, 1), atMs },
          { portId: out.portId, bytes: Uint8Array.of(0x7f + channel, LOOP_NOTE, 64), atMs: atMs + LOOP_EVERY_MS / 2 },
        ]),
      );
      const arrived: number[] = [];
      const wantedSeconds = (LOOP_LEAD_MS + LOOP_NOTES * LOOP_EVERY_MS) / 1000 + 0.5;
      const beganMs = performance.now();
      for (let passed = 0; passed < wantedSeconds && !wasEnded();) {
        await delay(LOOK_EVERY_MS);
        passed = (performance.now() - beganMs) / 1000;
        for (const { message, atMs } of await hub.keepArrivals(back.portId))
          if (message.kind === 'noteOn' && message.note === LOOP_NOTE) arrived.push(atMs);
        useTakeFlow.setState({ flow: { state: 'recording', progress: { capturedSeconds: passed, wantedSeconds } } });
      }
      await hub.keepArrivals(null);
      if (arrived.length === 0)
        throw new Error(
          `No notes returned from ${back.name}. Connect a cable from the output port, or turn on MIDI thru on the device in between.`,
        );
      const line = {
        ...pathLine(0),
        name: out.name === back.name ? `${out.name} and back` : `${out.name} to ${back.name}`,
        pulsesMs: pulsesMs.map((ms) => ms - firstMs),
        onsetsMs: arrived.map((ms) => ms - firstMs),
      };
      await database.takes.put({ ...take, status: 'done', lines: [line] });
      return measure.analyze(take.id);
    },
    async () => {
      await hub.keepArrivals(null);
    },
  );
}
