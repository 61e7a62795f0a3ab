import { parsePosition, parseTimecode, timecodeToFrames, FRAME_RATES } from '@metronomo/core';
import clsx from 'clsx';
import { useState } from 'react';
import { useSession } from '../studio/session';
import { barsBeatsTicks, songTimecode } from '../studio/song-facts';
import { useSongFacts } from '../studio/use-song-facts';
import { fps } from '../words/numbers';
import { locate } from '../studio/locate';
import { Cell } from './cell';

/** The hub's position in bars, beats and ticks and in timecode. Edit either one to locate. */
export function Position() {
  const beat = useSession(({ snapshot }) => snapshot.beat);
  const songMs = useSession(({ snapshot }) => snapshot.songMs);
  const counts = useSession(({ snapshot }) => snapshot.state === 'countingIn');
  const song = useSession(({ rig }) => rig?.song);
  const facts = useSongFacts();
  if (!song || !facts) return null;
  const toBeat = (text: string) => facts.meter.beatAt(parsePosition(text));
  const fromTimecode = (text: string) => {
    const frames =
      timecodeToFrames(parseTimecode(text, song.rate), song.rate) - timecodeToFrames(song.timecodeStart, song.rate);
    return facts.tempo.beatAt((frames / FRAME_RATES[song.rate].perSecond) * 1000);
  };
  return (
    <>
      <Cell className="w-48 flex-col justify-center max-sm:w-40">
        <span className="text-xs text-soft">{counts ? 'Count-in' : 'Bar.beat.tick'}</span>
        <PlaceField
          label="Position"
          hint="Type a bar or bar.beat (9.3), then press Enter"
          text={barsBeatsTicks(facts.meter, beat)}
          toBeat={toBeat}
          className="text-[32px] leading-tight font-bold max-sm:text-2xl"
        />
      </Cell>
      <Cell className="w-48 flex-col justify-center max-lg:w-44 max-sm:w-36">
        <span className="text-xs text-soft">Timecode, {fps(song.rate)}</span>
        <PlaceField
          label="Timecode"
          hint="Type a timecode (01:02:03:04), then press Enter"
          text={songTimecode(song, songMs)}
          toBeat={fromTimecode}
          className="text-[21px] leading-snug max-sm:text-lg"
        />
      </Cell>
    </>
  );
}

/** A readout that becomes a field on focus. */
function PlaceField({
  label,
  hint,
  text,
  toBeat,
  className,
}: {
  label: string;
  hint: string;
  text: string;
  toBeat: (text: string) => number;
  className: string;
}) {
  const [draft, setDraft] = useState<string | null>(null);
  const beat = draft === null ? null : placeOf(draft, toBeat);
  const go = () => {
    if (beat !== null) locate(beat);
    setDraft(null);
  };
  return (
    <input
      aria-label={label}
      title={draft !== null && beat === null ? 'Not a position in this song' : hint}
      aria-invalid={draft !== null && beat === null}
      className={clsx(
        'w-full border-b border-transparent bg-transparent hover:border-rule focus:border-ink aria-invalid:text-wrong',
        className,
      )}
      value={draft ?? text}
      onFocus={() => setDraft(text)}
      onClick={({ currentTarget }) => {
        const { selectionStart, selectionEnd } = currentTarget;
        if (selectionStart === selectionEnd) currentTarget.select();
      }}
      onChange={({ target }) => setDraft(target.value.slice(0, 14))}
      onBlur={() => setDraft(null)}
      onKeyDown={({ key, currentTarget }) => {
        if (key === 'Enter') go();
        if (key === 'Enter' || key === 'Escape') currentTarget.blur();
      }}
    />
  );
}

/** Null if the text isn't a position in the song. */
function placeOf(text: string, toBeat: (text: string) => number): number | null {
  try {
    const beat = toBeat(text);
    return beat >= 0 && Number.isFinite(beat) ? beat : null;
  } catch (error) {
    if (error instanceof Error) return null;
    throw error;
  }
}
