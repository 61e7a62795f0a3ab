import { REMOTE_HOST_PROTOCOL, type Control } from '@metronomo/core';
import { create } from 'zustand';
import { Connection } from '../remote/connect';
import { readFromRemote, readRelayed, type FromHost, type FromRemote, type RemoteState } from '../remote/messages';
import { nextSongId } from '../store/set-list';
import { doDeed } from './controls';
import { useSession } from './session';
import { factsOf } from './song-facts';

const KEY = 'metronomo.remote';
const STATE_EVERY_MS = 50;

interface RemoteHostState {
  on: boolean;
  connected: boolean;
  /** Remote pages that are open. */
  remotes: number;
}

export const useRemoteHost = create<RemoteHostState>(() => ({ on: false, connected: false, remotes: 0 }));

/** The hub's end of the remote pages. */
class RemoteHost {
  #connection: Connection | null = null;
  #timer: ReturnType<typeof setInterval> | undefined;
  /** How to let go of what each remote holds. */
  readonly #held = new Map<number, Map<string, () => void>>();

  /** As it was when the page was closed. */
  begin(): void {
    if (localStorage.getItem(KEY) === 'on') this.switch(true);
  }

  switch(on: boolean): void {
    if (on === useRemoteHost.getState().on) return;
    localStorage.setItem(KEY, on ? 'on' : 'off');
    useRemoteHost.setState({ on });
    if (on) this.#open();
    else this.#close();
  }

  #open(): void {
    const connection = new Connection(
      REMOTE_HOST_PROTOCOL,
      (text) => this.#heard(text),
      (connected) => {
        useRemoteHost.setState({ connected, remotes: 0 });
        if (!connected) this.#letGoOfAll();
      },
    );
    this.#connection = connection;
    this.#timer = setInterval(() => {
      if (this.#held.size > 0) connection.send(stateNow());
    }, STATE_EVERY_MS);
  }

  #close(): void {
    clearInterval(this.#timer);
    this.#connection?.close();
    this.#connection = null;
    this.#letGoOfAll();
  }

  #heard(text: unknown): void {
    const relayed = readRelayed(text);
    if (!relayed) return;
    const { remote, joined, left, said } = relayed;
    if (joined) this.#held.set(remote, new Map());
    if (left) {
      this.#held.get(remote)?.forEach((letGo) => letGo());
      this.#held.delete(remote);
    }
    useRemoteHost.setState({ remotes: this.#held.size });
    const message = said === undefined ? null : readFromRemote(said);
    if (message?.kind === 'ask') this.#answer(message);
    if (message?.kind === 'press') this.#press(remote, message);
  }

  #answer({ id, sentMs }: Extract<FromRemote, { kind: 'ask' }>): void {
    this.#connection?.send({ kind: 'answer', id, sentMs, hubMs: performance.now() } satisfies FromHost);
  }

  #press(remote: number, { does, down, triggerId }: Extract<FromRemote, { kind: 'press' }>): void {
    const held = this.#held.get(remote);
    const key = `${does} ${triggerId ?? ''}`;
    held?.get(key)?.();
    held?.delete(key);
    if (!down || !held) return;
    const letGo = doDeed({ does, ...(triggerId !== undefined && { triggerId }) } satisfies Pick<Control, 'does'>);
    if (letGo) held.set(key, letGo);
    this.#connection?.send(stateNow());
  }

  #letGoOfAll(): void {
    for (const held of this.#held.values()) held.forEach((letGo) => letGo());
    this.#held.clear();
    useRemoteHost.setState({ remotes: 0 });
  }
}

export const remoteHost = new RemoteHost();

function stateNow(): RemoteState {
  const { snapshot, snapshotAtMs, rig, live } = useSession.getState();
  const { beat, bpm, state } = snapshot;
  const facts = rig && factsOf(rig.song, rig.bpm);
  const signature = facts?.meter.meterAt(beat) ?? { beatsPerBar: 4, beatUnit: 4 };
  const { bar } = facts?.meter.positionAt(beat + 1e-6) ?? { bar: 1 };
  const returns = rig?.gear.flatMap(({ returnChannel }) => returnChannel ?? []) ?? [];
  const { setList } = rig ?? {};
  const at = setList?.songs.findIndex(({ id }) => id === setList.currentId) ?? -1;
  const song = setList?.songs[at];
  return {
    kind: 'state',
    atMs: snapshotAtMs,
    beat,
    bpm,
    plays: state === 'rolling' || state === 'countingIn',
    counting: state === 'countingIn',
    bar: {
      number: bar,
      fromBeat: facts?.meter.beatAt({ bar, beat: 1, ticks: 0 }) ?? 0,
      beats: signature.beatsPerBar,
      quarters: 4 / signature.beatUnit,
    },
    song: song && setList ? `${song.name}, ${at + 1} of ${setList.songs.length}`.slice(0, 80) : (rig?.name ?? ''),
    sections: rig && facts ? sectionsOf(rig.song.sections, facts.beginsAt, facts.lengthBeats) : [],
    locked: returns.filter((channel) => live?.readings[channel]?.state === 'locked').length,
    followers: returns.length,
    fills: (rig?.gear ?? [])
      .flatMap(({ name, triggers }) => triggers.filter(({ fill }) => fill).map(({ id }) => ({ id, name })))
      .slice(0, 16),
    hasNextSong: rig !== null && nextSongId(rig) !== null,
  };
}

function sectionsOf(sections: readonly { name: string }[], beginsAt: readonly number[], lengthBeats: number) {
  return sections.map(({ name }, i) => {
    const fromBeat = beginsAt[i] ?? 0;
    return { name, fromBeat, beats: (beginsAt[i + 1] ?? lengthBeats) - fromBeat };
  });
}
