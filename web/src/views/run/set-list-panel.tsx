import { Plus } from 'lucide-react';
import { useState } from 'react';
import { changeRig, undoWhileLatest } from '../../studio/rig';
import { nextSong, openSong } from '../../studio/set-list';
import { useSession } from '../../studio/session';
import { factsOf } from '../../studio/song-facts';
import { showToast } from '../../toasts/toast-store';
import { Button } from '../../parts/button';
import { InlineSelect } from '../../parts/inline-select';
import { RowButtons } from '../../parts/row-buttons';
import type { Rig, SetList, SetSong } from '../../store/records';
import { withNewSong, withoutSong } from '../../store/set-list';
import { count, decimal } from '../../words/numbers';

const MAX_SONGS = 100;

/** Songs in a row: each with its own sections, tempo, triggers and programs. */
export function SetListPanel({ rig }: { rig: Rig }) {
  const { setList } = rig;
  const change = (make: (before: SetList) => SetList) =>
    void changeRig((before) => (before.setList ? { ...before, setList: make(before.setList) } : before));
  const add = () => void changeRig((before) => withNewSong(before, `Song ${(before.setList?.songs.length ?? 0) + 1}`));
  if (!setList)
    return (
      <div className="flex flex-col items-start gap-3 p-4 text-sm">
        <p className="max-w-prose text-soft">
          A set list plays songs in a row. Each song keeps its own sections, tempo, beat triggers and programs. The
          current song becomes the first one.
        </p>
        <Button onClick={add}>
          <Plus size={14} aria-hidden /> Make a set list
        </Button>
      </div>
    );
  const remove = async ({ id, name }: SetSong) => {
    await changeRig((before) => withoutSong(before, id));
    showToast(`Removed ${name} from the set list.`, undoWhileLatest());
  };
  return (
    <div className="flex flex-col items-start gap-3 p-4 text-sm">
      <div className="flex flex-wrap items-center gap-2">
        <Button onClick={nextSong}>Next song</Button>
        <InlineSelect
          name="After each song"
          value={setList.then}
          options={[
            ['wait', 'After each song: wait for play'],
            ['play', 'After each song: go on by itself'],
          ]}
          onChoose={(then) => change((before) => ({ ...before, then: then as SetList['then'] }))}
        />
        {setList.then === 'play' && (
          <InlineSelect
            name="Pause between songs"
            value={String(setList.pauseBars)}
            options={[0, 1, 2, 4, 8].map((bars) => [
              String(bars),
              bars === 0 ? 'no pause' : `after ${count(bars, 'bar')}`,
            ])}
            onChoose={(bars) => change((before) => ({ ...before, pauseBars: Number(bars) }))}
          />
        )}
        <PlaysIn />
      </div>
      <ol className="w-full max-w-xl">
        {setList.songs.map((song, i) => (
          <SongRow
            key={song.id}
            number={i + 1}
            of={setList.songs.length}
            song={song.id === setList.currentId ? { ...song, song: rig.song, bpm: rig.bpm } : song}
            current={song.id === setList.currentId}
            onRename={(name) =>
              change((before) => ({
                ...before,
                songs: before.songs.map((one) => (one.id === song.id ? { ...one, name } : one)),
              }))
            }
            onMove={(by) => change((before) => ({ ...before, songs: moved(before.songs, i, by) }))}
            onRemove={() => void remove(song)}
          />
        ))}
      </ol>
      <Button disabled={setList.songs.length >= MAX_SONGS} onClick={add}>
        <Plus size={14} aria-hidden /> Add song
      </Button>
    </div>
  );
}

function PlaysIn() {
  const seconds = useSession(({ snapshot }) =>
    snapshot.playsInMs === null ? null : Math.ceil(snapshot.playsInMs / 1000),
  );
  if (seconds === null) return null;
  return <span role="status">Plays in {seconds} s. Press Stop to cancel.</span>;
}

function SongRow({
  number,
  of,
  song: { id, name, song, bpm },
  current,
  onRename,
  onMove,
  onRemove,
}: {
  number: number;
  of: number;
  song: SetSong;
  current: boolean;
  onRename: (name: string) => void;
  onMove: (by: number) => void;
  onRemove: () => void;
}) {
  const [draft, setDraft] = useState<string | null>(null);
  const settle = () => {
    if (draft !== null && draft.trim() !== '' && draft.trim() !== name) onRename(draft.trim());
    setDraft(null);
  };
  const { beginsAt } = factsOf(song, bpm);
  const bars = song.sections.reduce((sum, section) => sum + section.bars, 0);
  const ends = song.tempoFrom === 'sections' && beginsAt.length > 0;
  return (
    <li className="ruled-b flex items-center gap-2 py-1" aria-current={current}>
      <span className="w-6 text-soft">{number}.</span>
      <input
        aria-label={`Song ${number} name`}
        value={draft ?? name}
        maxLength={60}
        className={`w-48 border border-transparent px-1 py-0.5 hover:border-rule ${current ? 'font-bold' : ''}`}
        onChange={({ target }) => setDraft(target.value)}
        onBlur={settle}
        onKeyDown={({ key }) => {
          if (key === 'Enter') settle();
          if (key === 'Escape') setDraft(null);
        }}
      />
      <span className="text-soft">{ends ? count(bars, 'bar') : `${decimal(bpm, 1)} BPM, no end`}</span>
      <span className="ml-auto flex items-center">
        {current ? (
          <span className="px-2">Open</span>
        ) : (
          <Button tone="quiet" aria-label={`Open ${name}`} onClick={() => void openSong(id)}>
            Open
          </Button>
        )}
        <RowButtons
          name={name}
          first={number === 1}
          last={number === of}
          kept={current}
          onMove={onMove}
          onRemove={onRemove}
        />
      </span>
    </li>
  );
}

function moved(songs: readonly SetSong[], from: number, by: number): SetSong[] {
  const others = songs.filter((_, i) => i !== from);
  return [...others.slice(0, from + by), ...songs.slice(from, from + 1), ...others.slice(from + by)];
}
