import { BEATS_PER_BAR } from '@metronomo/core';
import { songOf } from '../hub/feeds';
import { command, hub, measure, useSession } from '../hub/session';
import { keepCalibration } from '../store/calibrations';
import { database } from '../store/database';
import type { Gear, Rig, Take, TakePlan } from '../store/records';
import { tempoPlan } from './analyze-take';
import { obstacle, takeWindow } from './take-flow';
import { hubIs, later, newTake, record, standStill, underWay, useTakeFlow, wasEnded, watchStop } from './take-parts';

const LEAD_IN_MS = 60;
/** What is heard of the last beat, and the slowest gear. */
const TAIL_MS = 600;

function rigInUse(): Rig {
  const { rig } = useSession.getState();
  if (!rig) throw new Error('No rig is in use.');
  return rig;
}

/** @throws Error in words while somebody else leads, for then the hub cannot say when and how fast. */
function hubMustLead(): void {
  if (useSession.getState().snapshot.leader !== 'hub')
    throw new Error('Let the hub lead for this: it starts and changes the tempo by itself.');
}

const CALIBRATION_BARS = 4;

/** What the audio path adds: the hub's click, out by a cable and in again on `channel`, against when it was due. */
export async function runCalibration(channel: number): Promise<Take | null> {
  const rig = rigInUse();
  const wasRolling = useSession.getState().snapshot.state === 'rolling';
  const take = await underWay(
    [],
    async () => {
      if (!useSession.getState().input) throw new Error('No audio input is open. Open one in Rig.');
      if (!wasRolling) command({ kind: 'play' });
      await hubIs('rolling');
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
      if (!wasRolling) await standStill();
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
    name: 'Audio path',
    channel,
    offsetMs: 0,
    report: null,
    landings: [],
    pulsesMs: [],
    onsetsMs: [],
  };
}

const CHASE_PAUSE_MS = 1200;
/** From asking to play until it does, and to stop. */
const CHASE_TURN_MS = 400;

export interface ChaseSettings {
  gear: Gear;
  channel: number;
  starts: number;
  /** How long the code runs each time. */
  runMs: number;
  /** The tempo of the click that is on the follower's tape, from the beginning of the song. */
  bpm: number;
}

/** Starts the timecode so many times, and listens to where the follower lands. */
export function runChase({ gear, channel, starts, runMs, bpm }: ChaseSettings): Promise<Take | null> {
  const rig = rigInUse();
  return underWay(
    [gear],
    async () => {
      hubMustLead();
      const problem = obstacle(rig, [{ ...gear, returnChannel: channel }], useSession.getState().input);
      if (problem !== null) throw new Error(problem);
      await standStill();
      await hub.setSong({ ...songOf(rig), tempo: [{ beat: 0, bpm }], afterStop: 'toStart' });
      const bare = newTake(rig, [{ ...gear, returnChannel: channel }], { plan: { question: 'chase', startedMs: [] } });
      const fromMs = performance.now();
      const toMs = fromMs + starts * (runMs + CHASE_PAUSE_MS + 2 * CHASE_TURN_MS);
      const recorded = record({ ...bare, bpm }, fromMs, toMs + TAIL_MS, 'starting again and again');
      const over = { yet: false };
      void recorded.finally(() => (over.yet = true));
      const startedMs: number[] = [];
      for (let i = 0; i < starts && !over.yet; i++) {
        command({ kind: 'locate', beat: 0 });
        command({ kind: 'play', countIn: false });
        await hubIs('rolling');
        startedMs.push(whenItBegan());
        await measure.planTake({ question: 'chase', startedMs });
        await Promise.race([recorded, later(runMs)]);
        await standStill();
        await Promise.race([recorded, later(CHASE_PAUSE_MS)]);
      }
      await measure.completeTake();
      return recorded;
    },
    restore,
  );
}

const TEMPO_BARS = 4;

/** A step in tempo and a ramp back, and how everybody takes it. */
export function runTempo(gear: readonly Gear[], share: number): Promise<Take | null> {
  const rig = rigInUse();
  return underWay(
    gear,
    async () => {
      hubMustLead();
      const problem = obstacle(rig, gear, useSession.getState().input);
      if (problem !== null) throw new Error(problem);
      await standStill();
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
      // Counted in, so that everybody is there at the first beat.
      command({ kind: 'play', countIn: true });
      await hubIs('rolling');
      const beganMs = whenItBegan();
      const plan: TakePlan = { question: 'tempo', beganMs, ...change };
      const unwatch = watchStop();
      try {
        const toMs = beganMs + map.msAt(4 * beats - 1) + TAIL_MS;
        return await record(newTake(rig, gear, { plan }), beganMs - LEAD_IN_MS, toMs, 'the tempo changes');
      } finally {
        unwatch();
      }
    },
    restore,
  );
}

/** The window's time at which the song was at its beginning. */
function whenItBegan(): number {
  const { snapshot, snapshotAtMs } = useSession.getState();
  return snapshotAtMs - snapshot.songMs;
}

/** Stops, and gives the rig's own song back. */
async function restore(): Promise<void> {
  await standStill();
  await hub.setSong(songOf(rigInUse()));
}

const WRITE_EVERY_MS = 1000;
/** Play has begun, and everybody has found the beat. */
const SETTLE_MS = 6000;

/** A long run: every landing of every follower is written as it comes; the sound is not kept. */
export function runDrift(gear: readonly Gear[], seconds: number): Promise<Take | null> {
  const rig = rigInUse();
  const wasRolling = useSession.getState().snapshot.state === 'rolling';
  return underWay(
    gear,
    async () => {
      const problem = obstacle(rig, gear, useSession.getState().input);
      if (problem !== null) throw new Error(problem);
      if (!wasRolling) command({ kind: 'play' });
      await hubIs('rolling');
      await later(wasRolling ? 0 : SETTLE_MS);
      const take = newTake(rig, gear, { plan: { question: 'drift' } });
      await database.takes.put(take);
      const ending = await writeLandings(take, seconds);
      await database.takes.update(take.id, ending ? { status: 'interrupted', ending } : { status: 'done' });
      return measure.analyze(take.id);
    },
    async () => {
      if (!wasRolling) await standStill();
    },
  );
}

/** Gives why it ended early; null when it did not. */
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
      await later(WRITE_EVERY_MS);
      const times = Float64Array.from(fresh);
      fresh = [];
      if (times.length > 0) await database.ticks.add({ takeId: take.id, index, times });
      const capturedSeconds = (performance.now() - beganMs) / 1000;
      useTakeFlow.setState({ flow: { state: 'recording', progress: { capturedSeconds, wantedSeconds: seconds } } });
      if (wasEnded()) return 'The take was ended early.';
      if (useSession.getState().snapshot.state !== 'rolling') return 'The hub was stopped during this take.';
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

/** Notes out at one port and in at another, round by a cable or a thru: how long that takes, and half of it. */
export function runLoop(
  out: { portId: string; name: string },
  back: { portId: string; name: string },
  channel: number,
): Promise<Take | null> {
  const rig = rigInUse();
  return underWay(
    [],
    async () => {
      if (useSession.getState().snapshot.state !== 'stopped')
        throw new Error('Stop first: while the hub rolls, its clock would wait for these notes, and they for it.');
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
        await later(LOOK_EVERY_MS);
        passed = (performance.now() - beganMs) / 1000;
        for (const { message, atMs } of await hub.keepArrivals(back.portId))
          if (message.kind === 'noteOn' && message.note === LOOP_NOTE) arrived.push(atMs);
        useTakeFlow.setState({ flow: { state: 'recording', progress: { capturedSeconds: passed, wantedSeconds } } });
      }
      await hub.keepArrivals(null);
      if (arrived.length === 0)
        throw new Error(
          `Nothing came back at ${back.name}. Run a cable from the out to it, or switch thru on at what stands between.`,
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
