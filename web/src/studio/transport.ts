import { findBarStart, HUB_ID, type HubSnapshot } from '@metronomo/core';
import { showToast } from '../toasts/toast-store';
import type { Rig } from '../store/records';
import { useSession } from './session';
import { factsOf } from './song-facts';
import { command, measure } from './workers';

/** A wait that players notice after they press play, ms (common practice). */
const NOTICEABLE_MS = 100;

/** A clock that leads and runs without having been started here; null if there is none. */
export function runningClock({ sources, leader }: HubSnapshot, rig: Rig | null): { name: string; bpm: number } | null {
  const source = sources.find(({ gearId, receiving }) => gearId === leader && receiving === 'clock');
  const gear = rig?.gear.find(({ id }) => id === leader);
  if (!source || !gear || source.bpm === null || source.state !== 'locked') return null;
  const { gives = 'both' } = gear;
  if (gear.leadsWith !== 'clock' || gives === 'transport' || (gives === 'both' && source.rolling)) return null;
  return { name: gear.name, bpm: source.bpm };
}

export function playOrStop(): void {
  const { snapshot, rig } = useSession.getState();
  if (snapshot.state !== 'stopped') stop();
  else if (playsHere(snapshot, rig)) command({ kind: 'play', countIn: countsIn() });
  else {
    const gear = rig?.gear.find(({ id }) => id === snapshot.leader);
    const name = gear?.name ?? 'Another device';
    showToast(
      gear?.gives === 'tempo'
        ? `${name} sets the tempo, but its clock isn’t arriving. Start its clock, then press play.`
        : `${name} is the leader. Press play on the device; the hub starts with it.`,
    );
  }
}

/** Whether play begins with a count-in. */
export function countsIn(): boolean {
  const { snapshot, rig } = useSession.getState();
  return rig !== null && whyCountIn(rig, snapshot) !== null;
}

/**
 * Why play begins with a count-in: the musician chose it, or somebody needs the time; null if it doesn't. The hub waits
 * for everyone anyway; the count-in fills the wait, so that players come in together.
 */
export function whyCountIn({ song, peers = [] }: Rig, { preRollMs }: Pick<HubSnapshot, 'preRollMs'>): string | null {
  if (song.countsIn) return 'chosen';
  if (song.countInChosen || song.countInBars === 0) return null;
  if (preRollMs >= NOTICEABLE_MS) return `playback starts ${Math.round(preRollMs)} ms late (pre-roll)`;
  const peer = peers.find(({ bufferMs, fromFile = false }) => bufferMs >= NOTICEABLE_MS && !fromFile);
  return peer ? `${peer.name} plays ${peer.bufferMs} ms behind the network` : null;
}

export function stop(): void {
  command({ kind: 'stop' });
}

function playsHere(snapshot: HubSnapshot, rig: Rig | null): boolean {
  const { leader } = snapshot;
  const gives = rig?.gear.find(({ id }) => id === leader)?.gives;
  const hand = leader === HUB_ID || rig?.takeOver === 'whoeverPlays' || gives === 'transport';
  return hand || runningClock(snapshot, rig) !== null;
}

/** Whether playback is controlled here: the hub leads, or the leader rules something else. */
export function hasOwnTransport({ leader, onTicks }: HubSnapshot, rig: Rig | null): boolean {
  const gives = rig?.gear.find(({ id }) => id === leader)?.gives ?? 'both';
  return leader === HUB_ID || onTicks || gives !== 'both';
}

/** Whether the tempo is set here. */
export function hasOwnTempo({ leader }: Pick<HubSnapshot, 'leader'>, rig: Rig | null): boolean {
  return leader === HUB_ID || rig?.gear.find(({ id }) => id === leader)?.gives === 'transport';
}

/** The input of the leader's sound; null if it isn't heard. */
export function leaderHeardAt({ leader }: HubSnapshot, rig: Rig | null, isOpen: boolean): number | null {
  return isOpen ? (rig?.gear.find(({ id }) => id === leader)?.returnChannel ?? null) : null;
}

/** The loudest hit of each bar that the leader plays is its downbeat. */
export async function joinBySound(): Promise<void> {
  const { snapshot, rig, input } = useSession.getState();
  const channel = leaderHeardAt(snapshot, rig, input !== null);
  const running = runningClock(snapshot, rig);
  if (!rig || channel === null || running === null) return;
  const { beatsPerBar, beatUnit } = factsOf(rig.song, running.bpm).meter.meterAt(snapshot.beat);
  const beatMs = ((60_000 / running.bpm) * 4) / beatUnit;
  const atMs = findBarStart(await measure.hitsOn(channel), { barMs: beatsPerBar * beatMs, beatMs });
  if (atMs !== null) command({ kind: 'downbeat', atMs });
  else
    showToast(
      `No hit stands out in the last three bars of ${running.name}. Tap the downbeat, or accent the first beat of each bar.`,
    );
}

/** Now is a downbeat of the clock that leads: everyone starts on one of the next bar lines. */
export function tapDownbeat(): void {
  const { snapshot, rig } = useSession.getState();
  if (runningClock(snapshot, rig) === null && rig?.takeOver !== 'whoeverPlays') {
    showToast('No running clock to join. Choose a device that sends MIDI clock as the leader in Rig.');
    return;
  }
  command({ kind: 'downbeat', atMs: performance.now() });
}
