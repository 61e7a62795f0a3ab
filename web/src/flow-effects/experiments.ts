import { reportLatency, TempoMap, throughHub, type ReturnReading } from '@metronomo/core';
import { leaveSomeOut } from '../audio/played-clicks';
import { collecting, type Look } from '../flows/collecting';
import { recording } from '../flows/recording';
import { starts } from '../flows/starts';
import { tempoPlan } from '../measure/analyze-take';
import { keepCalibration } from '../store/calibrations';
import { BOATHOUSE_SOURCE } from '../store/boathouse';
import { database } from '../store/database';
import type { Gear, HeardLeader, Rig, Take, TakeLine, TakePlan } from '../store/records';
import { songOf } from '../studio/feeds';
import { setExperiment } from '../studio/hub-plan';
import { useSession } from '../studio/session';
import { factsOf } from '../studio/song-facts';
import { command, hub, measure } from '../studio/workers';
import { isStandIn, leaderStarts, leaderStops } from './leader-hands';
import { hubMustLead, isRolling, playHub, stopHub, waitForHub } from './hub-motion';
import { does, runFlow } from './run-flow';
import { IN_BACKGROUND_MS, sendWhenDue } from './send-when-due';
import { checkObstacles, framedTake, LEAD_IN_MS, recorded } from './take-flow';
import { analyzeTake, measureTake, newTake, portsOf, Recorder, recoverTake, showProgress } from './take-desk';

/** Time for the tail of the last beat, and for the slowest gear. */
const TAIL_MS = 600;

export function rigInUse(): Rig {
  const { rig } = useSession.getState();
  if (!rig) throw new Error('No rig is open. Open one in Rig.');
  return rig;
}

/** Ends a test: the hub stops, and plays the rig's own song again. */
export async function giveBack(): Promise<void> {
  await stopHub();
  await setExperiment({});
}

const CALIBRATION_BARS = 4;

/**
 * Audio round trip: the hub's click through a cable back into `channel`, against its due time. Audio may drop out
 * while it starts up, so after a dropout it is measured once more.
 */
export async function runCalibration(channel: number): Promise<Take | null> {
  const take = await calibrate(channel);
  return take?.status === 'done' && take.gaps ? calibrate(channel) : take;
}

/** The round trip may be longer than a beat, so some clicks are left out. */
async function calibrate(channel: number): Promise<Take | null> {
  const wasRolling = isRolling();
  const { result: take } = await measureTake({
    needs: { ports: [], input: true, motion: true },
    prepare() {
      if (!useSession.getState().input) throw new Error('No audio input is open. Open one in Rig.');
    },
    async start(signal) {
      leaveSomeOut(true);
      await playHub(signal);
    },
    ...framedTake(
      ({ bpm, beatsMs }) => ({
        gear: [],
        plan: { question: 'calibration' },
        beats: { bpm, firstBeatMs: beatsMs[0] ?? 0 },
      }),
      { bars: CALIBRATION_BARS },
      (bare) => ({ ...bare, lines: [pathLine(channel)] }),
    ),
    async restore() {
      leaveSomeOut(false);
      if (!wasRolling) await stopHub();
    },
  });
  const report = take?.status === 'done' ? take.lines[0]?.report : null;
  // By the hub's time alone, it is uncertain by what audio and hub clock disagree.
  const isStandIn = take?.inputSource === BOATHOUSE_SOURCE;
  const isCounted = take !== null && (isStandIn || 'clicksMs' in take.beats);
  if (take && report?.believable && isCounted)
    await keepCalibration({
      input: take.input,
      ...(take.inputSource !== undefined && { source: take.inputSource }),
      sampleRate: take.sampleRate,
      channel,
      roundTripMs: report.medianMs,
      bufferMs: take.conditions?.bufferMs ?? null,
      takeId: take.id,
      at: take.startedAt,
    });
  return take;
}

/** A device with its input: from the rig, or an input that isn't assigned. */
export interface HeardOn {
  gear: Gear | null;
  name: string;
  channel: number;
}

/** What is asked of them: how late they are, how they start and stop, take changes of tempo, or drift. */
export type AgainstWhat = 'lateness' | 'starts' | 'tempo' | 'drift';

/**
 * Followers against the sound of whatever leads. The hub neither plays nor sends for it: it only listens, while the
 * musician plays.
 */
export async function runAgainst(
  leader: HeardOn,
  followers: readonly HeardOn[],
  { seconds, asked }: { seconds: number; asked: AgainstWhat },
): Promise<Take | null> {
  const rig = rigInUse();
  const recorder = new Recorder();
  const { result } = await measureTake({
    needs: { ports: [], input: true, motion: false },
    prepare() {
      const { input } = useSession.getState();
      if (!input) throw new Error('No audio input is open. Open one in Rig.');
      for (const { name, channel } of [leader, ...followers])
        if (channel >= input.channels)
          throw new Error(`${name} is on input ${channel + 1}, but the interface has only ${input.channels} inputs.`);
      if (followers.some(({ channel }) => channel === leader.channel))
        throw new Error('Leader and follower are on the same input. Choose two different ones.');
    },
    start: () => undefined,
    capture: () => {
      const plan = againstPlan(asked, { leader: leader.name, leaderId: leader.gear?.id ?? null });
      const { bpm } = useSession.getState().snapshot;
      const bare = newTake(rig, [], { bpm, plan, beats: { clickChannel: leader.channel } });
      const lines = followers.map(({ gear, name, channel }) => ({
        ...lineOf(name, channel),
        gearId: gear?.id ?? null,
        ...(gear && { ownOffset: gear.offset.own }),
      }));
      const take = { ...bare, bpm: null, lines, gearIds: lines.flatMap(({ gearId }) => gearId ?? []) };
      const fromMs = performance.now();
      return recorderAlone(recorder, () =>
        recorder.record(take, fromMs, fromMs + 1000 * seconds, 'leader and followers'),
      );
    },
    analyze: analyzeTake,
    recover: (why) => recorder.recover(why),
    restore: () => undefined,
  });
  return result;
}

function againstPlan(asked: AgainstWhat, leader: HeardLeader): TakePlan {
  switch (asked) {
    case 'lateness':
      return { question: 'against', ...leader };
    case 'starts':
      return { question: 'startsBySound', ...leader };
    case 'tempo':
      return { question: 'tempoRun', beganMs: performance.now(), tempo: [], ...leader };
    case 'drift':
      return { question: 'drift', ...leader };
  }
}

/**
 * The sound of the device that leads, against the hub’s click, which follows its sync. `channel`: the input it is heard on.
 */
export async function runLeaderSound(leaderId: string, channel: number, bars: number): Promise<Take | null> {
  const rig = rigInUse();
  const leader = rig.gear.find(({ id }) => id === leaderId);
  if (!leader) throw new Error('The leader is no longer in this rig. Choose another in Rig.');
  const { name, syncOffsetMs = 0 } = leader;
  const { result } = await measureTake({
    needs: { ports: [], input: true, motion: true },
    prepare() {
      checkInputs(rig, { name, channel });
      if (useSession.getState().snapshot.leader !== leaderId || !isRolling()) throw leaderStands(leaderId);
    },
    start: () => undefined,
    ...framedTake(
      () => ({ gear: [], plan: { question: 'leaderSound', leader: name, leaderId, syncOffsetMs } }),
      { bars },
      (bare) => ({ ...bare, gearIds: [leaderId], lines: [{ ...lineOf(name, channel), gearId: leaderId }] }),
    ),
    restore: () => undefined,
  });
  return result;
}

/** @throws Error with a message for the musician if the click or the device can’t be recorded. */
function checkInputs({ input: { clickChannel } }: Rig, { name, channel }: Pick<HeardOn, 'name' | 'channel'>): void {
  const { input } = useSession.getState();
  if (!input) throw new Error('No audio input is open. Open one in Rig.');
  if (clickChannel >= input.channels)
    throw new Error(
      `The click input is set to input ${clickChannel + 1}, but the interface has only ${input.channels} inputs. Choose another in Rig.`,
    );
  if (channel === clickChannel)
    throw new Error(`${name} and the hub’s click share input ${channel + 1}. Choose another input for one of them.`);
}

function pathLine(channel: number): Take['lines'][number] {
  return lineOf('Loopback', channel);
}

export function lineOf(name: string, channel: number): Take['lines'][number] {
  return {
    gearId: null,
    name,
    channel,
    offsetMs: 0,
    report: null,
    landings: [],
    pulsesMs: [],
    onsetsMs: [],
  };
}

const MS_PER_MINUTE = 60_000;
const CHASE_PAUSE_MS = 1200;
/** Time for the hub to start, and to stop. */
const CHASE_TURN_MS = 400;
/** For the hub to lock to another leader and to join it, or to stop with it. */
const JOINS_MS = 4000;
/** The same, and for a musician to press play, or stop. */
const BY_HAND_MS = 20_000;

export interface StartsSettings {
  /** With the audio returns that are recorded. */
  gear: readonly Gear[];
  /** What is asked: of a timecode follower, or of clock followers that start from a beat of the song. */
  asks: { question: 'chase' } | { question: 'starts'; fromBeat: number };
  starts: number;
  /** Duration of each run. */
  runMs: number;
  /** Of the song, and of the click recorded on a timecode follower. */
  bpm: number;
}

/**
 * Starts the song repeatedly and measures where the followers land. If another device leads, its musician starts and
 * stops it, from its own start.
 */
export async function runStarts({ gear, asks, starts: count, runMs, bpm }: StartsSettings): Promise<Take | null> {
  const rig = rigInUse();
  const { leader } = useSession.getState().snapshot;
  const leads = leader === 'hub';
  const beat = asks.question === 'starts' && leads ? asks.fromBeat : 0;
  // At most: the take is over once all starts were played.
  const turnMs = leads ? CHASE_TURN_MS : isStandIn(leader) ? JOINS_MS : BY_HAND_MS;
  const recorder = new Recorder();
  const startedMs: number[] = [];
  const planned = (times: number[]) =>
    asks.question === 'starts' ? { ...asks, fromBeat: beat, startedMs: times } : { ...asks, startedMs: times };
  const { result } = await measureTake({
    needs: { ports: portsOf(gear), input: true, motion: false },
    async prepare() {
      checkObstacles(gear);
      if (!leads && asks.question === 'chase') hubMustLead();
      if (!leads) return standsFirst(leader);
      await stopHub();
      await setExperiment({ song: { ...songOf(rig), tempo: [{ beat: 0, bpm }], afterStop: 'toStart' } });
    },
    start: () => undefined,
    capture: () => {
      const machine = starts.provide({
        actors: {
          record: does(() => {
            const take = newTake(rig, gear, { bpm, plan: planned([]) });
            const fromMs = performance.now();
            const toMs = fromMs + count * (runMs + CHASE_PAUSE_MS + 2 * turnMs) + TAIL_MS;
            return recorder.record(take, fromMs, toMs, 'repeated starts');
          }),
          startFromTop: does(async (_, signal: AbortSignal) => {
            if (leads) {
              command({ kind: 'locate', beat });
              command({ kind: 'play', countIn: false, pastEnd: true });
              await waitForHub('rolling', signal);
            } else await leaderStarts(leader, signal);
            startedMs.push(whenItBegan() + (beat * MS_PER_MINUTE) / bpm);
            await measure.planTake(planned(startedMs));
          }),
          stop: does((_, signal: AbortSignal) => (leads ? stopHub() : leaderStops(leader, signal))),
        },
        actions: { finish: recorder.finish, complete: () => void measure.completeTake() },
      });
      return recorded(runFlow(machine, { input: { starts: count, runMs, pauseMs: CHASE_PAUSE_MS } }));
    },
    analyze: analyzeTake,
    recover: (why) => recorder.recover(why),
    async restore() {
      if (leads) await giveBack();
    },
  });
  return result;
}

/** @throws Error with a message for the musician if the device that leads is playing. */
function standsFirst(leader: string): void {
  if (useSession.getState().snapshot.state === 'stopped') return;
  const name = rigInUse().gear.find(({ id }) => id === leader)?.name ?? 'the leader';
  throw new Error(`Stop ${name} first: the test begins with a start.`);
}

const TEMPO_BARS = 4;

/** A tempo step and a ramp back, and how every follower handles them. */
export async function runTempo(gear: readonly Gear[], share: number): Promise<Take | null> {
  const rig = rigInUse();
  const { meter } = factsOf(rig.song, rig.bpm);
  const { beatsPerBar, beatUnit } = meter.meterAt(0);
  const change = { bpm: rig.bpm, otherBpm: rig.bpm * (1 + share), beats: (TEMPO_BARS * beatsPerBar * 4) / beatUnit };
  const { bpm, otherBpm, beats } = change;
  const tempo = [
    { beat: 0, bpm },
    { beat: beats, bpm: otherBpm },
    { beat: 2 * beats, bpm: otherBpm, curve: 'linear' as const },
    { beat: 3 * beats, bpm },
  ];
  const recorder = new Recorder();
  const { result } = await measureTake({
    needs: { ports: portsOf(gear), input: true, motion: true },
    async prepare() {
      hubMustLead();
      checkObstacles(gear);
      await stopHub();
      await setExperiment({ song: { ...songOf(rig), tempo, afterStop: 'toStart' } });
    },
    async start(signal) {
      command({ kind: 'locate', beat: 0 });
      // With count-in, so that everyone is locked on the first beat.
      command({ kind: 'play', countIn: true, pastEnd: true });
      await waitForHub('rolling', signal);
    },
    capture: () => {
      const beganMs = whenItBegan();
      const take = newTake(rig, gear, { bpm, plan: { question: 'tempo', beganMs, ...change } });
      const toMs = beganMs + tempoPlan(change).msAt(4 * beats - 1) + TAIL_MS;
      return recorderAlone(recorder, () => recorder.record(take, beganMs - LEAD_IN_MS, toMs, 'tempo test'));
    },
    analyze: analyzeTake,
    recover: (why) => recorder.recover(why),
    restore: giveBack,
  });
  return result;
}

/**
 * How followers take the tempo changes of the song, from its start to its end, or those that somebody makes during the
 * take: by hand, or whoever leads. `seconds`: how long to listen to the latter; null plays the song.
 */
export async function runTempoMap(gear: readonly Gear[], seconds: number | null): Promise<Take | null> {
  const rig = rigInUse();
  const { tempo = [{ beat: 0, bpm: rig.bpm }] } = songOf(rig);
  const { lengthBeats } = factsOf(rig.song, rig.bpm);
  const recorder = new Recorder();
  const { result } = await measureTake({
    needs: { ports: portsOf(gear), input: true, motion: true },
    async prepare() {
      checkObstacles(gear);
      const { leader } = useSession.getState().snapshot;
      if (seconds === null) {
        hubMustLead();
        await stopHub();
      } else if (leader !== 'hub' && !isRolling()) throw leaderStands(leader);
    },
    async start(signal) {
      if (seconds !== null) return playHub(signal);
      command({ kind: 'locate', beat: 0 });
      command({ kind: 'play', countIn: true, pastEnd: true });
      await waitForHub('rolling', signal);
    },
    capture: () => {
      const beganMs = seconds === null ? whenItBegan() : performance.now();
      const plan = { question: 'tempoRun', beganMs, tempo: seconds === null ? [...tempo] : [] } as const;
      const lastsMs = seconds === null ? new TempoMap(tempo).msAt(lengthBeats) : 1000 * seconds;
      const take = newTake(rig, gear, { bpm: tempo[0]?.bpm ?? rig.bpm, plan });
      return recorderAlone(recorder, () =>
        recorder.record(take, beganMs - LEAD_IN_MS, beganMs + lastsMs, 'tempo changes'),
      );
    },
    analyze: analyzeTake,
    recover: (why) => recorder.recover(why),
    async restore() {
      if (seconds === null) await stopHub();
    },
  });
  return result;
}

function leaderStands(leaderId: string): Error {
  const name = useSession.getState().rig?.gear.find(({ id }) => id === leaderId)?.name ?? 'The leader';
  return new Error(`${name} isn’t playing. Press play on it, wait until it is locked, then record.`);
}

/** A stretch that is known before: nothing to frame, no turns. */
export function recorderAlone(recorder: Recorder, record: () => Promise<Take>) {
  const machine = recording.provide({
    actors: { frame: does(() => []), record: does(record) },
    actions: { finish: recorder.finish },
  });
  return recorded(runFlow(machine));
}

/** When the song was at its start, in window time. */
export function whenItBegan(): number {
  const { snapshot, snapshotAtMs } = useSession.getState();
  return snapshotAtMs - snapshot.songMs;
}

const WRITE_EVERY_MS = 1000;
/** Time to start, and for everyone to lock. */
const SETTLE_MS = 6000;

/** A long run: every landing is stored as it is detected; the audio isn't kept. */
export async function runDrift(gear: readonly Gear[], seconds: number): Promise<Take | null> {
  const rig = rigInUse();
  const wasRolling = isRolling();
  const { bpm } = useSession.getState().snapshot;
  const take = newTake(rig, gear, { bpm, plan: { question: 'drift' } });
  const { result } = await measureTake({
    needs: { ports: portsOf(gear), input: true, motion: true },
    prepare: () => checkObstacles(gear),
    start: playHub,
    capture: () => {
      const run = new LandingsKept(take, seconds, wasRolling ? 0 : SETTLE_MS);
      const machine = collecting.provide({
        actors: { open: does(() => run.open()), look: does(() => run.look()), close: does(() => run.close()) },
      });
      return runFlow(machine, { input: { everyMs: WRITE_EVERY_MS } });
    },
    async analyze(ending: string | null) {
      await database.takes.update(take.id, ending ? { status: 'interrupted', ending } : { status: 'done' });
      return measure.analyze(take.id);
    },
    recover: (why) => recoverTake(take.id, why ?? 'The take failed.'),
    async restore() {
      if (!wasRolling) await stopHub();
    },
  });
  return result;
}

/** Landings as they are heard: channel, time, and lateness in ms. */
class LandingsKept {
  readonly #take: Take;
  readonly #seconds: number;
  readonly #settleMs: number;
  readonly #lastHits = new Map<number, number>();
  #fresh: number[] = [];
  #looks = 0;
  #beganMs = 0;
  #forget: () => void = () => undefined;

  constructor(take: Take, seconds: number, settleMs: number) {
    this.#take = take;
    this.#seconds = seconds;
    this.#settleMs = settleMs;
  }

  async open(): Promise<void> {
    await database.takes.put(this.#take);
    this.#beganMs = performance.now() + this.#settleMs;
    this.#forget = useSession.subscribe(({ live }, before) => {
      if (live && live !== before.live && performance.now() >= this.#beganMs) this.#keep(live.readings);
    });
  }

  #keep(readings: readonly ReturnReading[]): void {
    for (const { channel } of this.#take.lines) {
      const { landedMs = null, landings = [] } = readings[channel] ?? {};
      const newest = landings.at(-1);
      if (landedMs === null || !newest || landedMs <= (this.#lastHits.get(channel) ?? -Infinity)) continue;
      this.#lastHits.set(channel, landedMs);
      this.#fresh.push(channel, landedMs - newest.lateMs, newest.lateMs);
    }
  }

  async look(): Promise<Look> {
    const capturedSeconds = (performance.now() - this.#beganMs) / 1000;
    const times = Float64Array.from(this.#fresh.splice(0));
    if (times.length > 0) await database.ticks.add({ takeId: this.#take.id, index: this.#looks++, times });
    if (capturedSeconds >= 0) showProgress({ capturedSeconds, wantedSeconds: this.#seconds });
    return { done: capturedSeconds >= this.#seconds };
  }

  close(): void {
    this.#forget();
  }
}

const LOOP_NOTES = 64;
const LOOP_EVERY_MS = 120;
const LOOP_LEAD_MS = 500;
const LOOP_NOTE = 61;
const CHANNELS = 16;
/** Fewer tell nothing. */
const FEWEST_PASSED_ON = 8;
const LOOK_EVERY_MS = 250;

export interface Port {
  portId: string;
  name: string;
}

/**
 * MIDI round trip: notes out of one port and back in on another, through a cable or a thru. The hub passes each note on
 * by a route, on another channel, so that it comes back once more: later than by the cable alone by what the hub takes.
 */
export async function runLoop(out: Port, back: Port, channel: number): Promise<Take | null> {
  const take = newTake(rigInUse(), [], { bpm: useSession.getState().snapshot.bpm, plan: { question: 'loop' } });
  const passedOn = (channel % CHANNELS) + 1;
  let stopSending = (): void => undefined;
  const [arrived, arrivedAgain, pulsesMs]: [number[], number[], number[]] = [[], [], []];
  const wantedSeconds = (LOOP_LEAD_MS + LOOP_NOTES * LOOP_EVERY_MS) / 1000 + 0.5;
  const open = async () => {
    const firstMs = performance.now() + LOOP_LEAD_MS;
    pulsesMs.push(...Array.from({ length: LOOP_NOTES }, (_, i) => firstMs + i * LOOP_EVERY_MS));
    await hub.keepArrivals(back.portId);
    stopSending = sendWhenDue(
      pulsesMs.map((atMs) => [
        { portId: out.portId, bytes: Uint8Array.of(0x8f + channel, LOOP_NOTE, 1), atMs },
        { portId: out.portId, bytes: Uint8Array.of(0x7f + channel, LOOP_NOTE, 64), atMs: atMs + LOOP_EVERY_MS / 2 },
      ]),
      IN_BACKGROUND_MS,
    );
  };
  const look = async (): Promise<Look> => {
    for (const { message, atMs } of await hub.keepArrivals(back.portId))
      if (message.kind === 'noteOn' && message.note === LOOP_NOTE)
        (message.channel === passedOn ? arrivedAgain : arrived).push(atMs);
    const capturedSeconds = (performance.now() - (pulsesMs[0] ?? 0) + LOOP_LEAD_MS) / 1000;
    showProgress({ capturedSeconds, wantedSeconds });
    return { done: capturedSeconds >= wantedSeconds };
  };
  const { result } = await measureTake({
    needs: { ports: [out, back].map(({ portId, name }) => lostPort(portId, name)), input: false, motion: false },
    async prepare() {
      if (useSession.getState().snapshot.state !== 'stopped')
        throw new Error('Stop playback first. Otherwise clock and test notes would delay each other.');
      const ports = { fromPortId: back.portId, toPortId: out.portId };
      const passes = { notes: true, controllers: false, programs: false, bends: false };
      await setExperiment({ routes: [{ id: 'loop', ...ports, fromChannel: channel, toChannel: passedOn, passes }] });
    },
    start: () => undefined,
    capture: () => {
      const close = async () => {
        stopSending();
        await hub.keepArrivals(null);
      };
      const machine = collecting.provide({ actors: { open: does(open), look: does(look), close: does(close) } });
      return runFlow(machine, { input: { everyMs: LOOK_EVERY_MS } });
    },
    async analyze(ending: string | null) {
      if (arrived.length === 0)
        throw new Error(
          ending ??
            `No notes returned from ${back.name}. Connect a cable from the output port, or turn on MIDI thru on the device in between.`,
        );
      const [firstMs = 0] = pulsesMs;
      const line = {
        ...pathLine(0),
        name: out.name === back.name ? `${out.name} and back` : `${out.name} to ${back.name}`,
        pulsesMs: pulsesMs.map((ms) => ms - firstMs),
        onsetsMs: arrived.map((ms) => ms - firstMs),
      };
      const lines: TakeLine[] = [line];
      if (arrivedAgain.length >= FEWEST_PASSED_ON) {
        const againMs = arrivedAgain.map((ms) => ms - firstMs);
        const times = { sentMs: line.pulsesMs, arrivedMs: line.onsetsMs, againMs };
        const { pulsesMs, matching } = throughHub(times);
        const { landings } = matching;
        const heard = { pulsesMs, onsetsMs: againMs, landings, report: reportLatency(matching) };
        lines.push({ ...lineOf('Through the hub', 0), ...heard });
      }
      await database.takes.put({ ...take, status: 'done', lines });
      return measure.analyze(take.id);
    },
    recover: () => Promise.resolve(null),
    async restore() {
      await setExperiment({});
      await hub.keepArrivals(null);
    },
  });
  return result;
}

export function lostPort(portId: string, name: string) {
  return { portId, sentence: () => `${name} was disconnected during the test. Reconnect it, then repeat the test.` };
}
