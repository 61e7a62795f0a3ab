import { format } from 'date-fns';
import { useLiveQuery } from 'dexie-react-hooks';
import { Trash2 } from 'lucide-react';
import { useState } from 'react';
import { writeMessageFile, writeMessageText } from '@metronomo/core';
import { reportDeleted } from '../../studio/undoable';
import { playBack, stopPlayBack, trackOf, useCapture } from '../../flow-effects/capture-flow';
import { Button } from '../../parts/button';
import { InlineSelect } from '../../parts/inline-select';
import { saveFile } from '../../parts/save-file';
import { database } from '../../store/database';
import type { CapturedStream, Rig } from '../../store/records';
import { deleteStream, listStreams, messagesOf } from '../../store/streams';
import { count, decimal } from '../../words/numbers';
import { exactDayAndTime } from '../../parts/dates';

/** Captured messages: export them, or play them back into the hub. */
export function StreamList({ rig }: { rig: Rig }) {
  const streams = useLiveQuery(() => listStreams(rig.id), [rig.id]) ?? [];
  const [chosenId, setChosenId] = useState<string | null>(null);
  return (
    <section aria-label="Captured messages" className="flex flex-col gap-2 text-sm">
      <h2 className="text-lg font-bold">Captured messages</h2>
      {streams.length === 0 ? (
        <p className="max-w-prose text-soft">
          No captures yet. Open <b className="text-ink">Messages</b> at the bottom of the page and press{' '}
          <b className="text-ink">Capture</b> to record every message in and out until you stop. You can export a
          capture as a MIDI file or text, or play it back into the hub as if your gear were sending it.
        </p>
      ) : (
        <ul>
          {streams.map((stream) => (
            <li key={stream.id} className="ruled-b flex flex-col gap-2 py-2">
              <div className="flex flex-wrap items-center gap-x-4 gap-y-1">
                <b>{stream.name}</b>
                <span className="text-soft">
                  {exactDayAndTime(stream.startedAt)} · {count(stream.messages, 'message')} ·{' '}
                  {decimal(stream.durationMs / 1000, 1)} s
                </span>
                <span className="ml-auto flex gap-1">
                  <Button tone="quiet" onClick={() => void save(stream, 'midi')}>
                    Export MIDI
                  </Button>
                  <Button tone="quiet" onClick={() => void save(stream, 'text')}>
                    Export text
                  </Button>
                  <Button
                    aria-expanded={chosenId === stream.id}
                    onClick={() => setChosenId(chosenId === stream.id ? null : stream.id)}
                  >
                    Play back…
                  </Button>
                  <Button
                    tone="quiet"
                    aria-label={`Delete capture ${stream.name}`}
                    onClick={() => void deleteStream(stream).then((undo) => reportDeleted('Capture deleted', undo))}
                  >
                    <Trash2 size={14} aria-hidden />
                  </Button>
                </span>
              </div>
              {chosenId === stream.id && <PlayBackForm rig={rig} stream={stream} />}
            </li>
          ))}
        </ul>
      )}
    </section>
  );
}

async function save(stream: CapturedStream, as: 'midi' | 'text'): Promise<void> {
  const messages = await messagesOf(database, stream.id);
  const name = `${stream.name.replaceAll(/[^\p{L}\p{N} .-]/gu, '')} ${format(stream.startedAt, 'yyyy-MM-dd HHmm')}`;
  if (as === 'midi') saveFile(`${name}.mid`, [writeMessageFile(messages) as Uint8Array<ArrayBuffer>], 'audio/midi');
  else saveFile(`${name}.txt`, [writeMessageText(messages)], 'text/plain');
}

/** Which track to play back, and into which input port. */
function PlayBackForm({ rig, stream }: { rig: Rig; stream: CapturedStream }) {
  const tracks = useLiveQuery(() => tracksOf(stream.id), [stream.id]) ?? [];
  const playing = useCapture((state) => state.playing);
  const ports = rig.hubSockets.filter(({ direction, portId }) => direction === 'in' && portId);
  const [track, setTrack] = useState('');
  const [portId, setPortId] = useState('');
  const [firstTrack] = tracks;
  const chosen = { track: track || (firstTrack?.name ?? ''), portId: portId || (ports[0]?.portId ?? '') };
  if (ports.length === 0)
    return (
      <p className="text-soft">
        This rig has no hub input port to play back into. Connect a cable to the hub in Rig first.
      </p>
    );
  return (
    <div className="flex flex-wrap items-center gap-2 border border-rule p-2.5">
      <span className="text-soft">Track</span>
      <InlineSelect
        name="Track"
        value={chosen.track}
        options={tracks.map(({ name, messages }) => [name, `${name} (${messages})`] as const)}
        onChoose={setTrack}
      />
      <span className="text-soft">Input port</span>
      <InlineSelect
        name="Input port"
        value={chosen.portId}
        options={ports.map((socket) => [socket.portId ?? '', socket.label] as const)}
        onChoose={setPortId}
      />
      {playing?.id === stream.id ? (
        <>
          <Button onClick={() => void stopPlayBack()}>Stop</Button>
          <span className="text-soft" role="status">
            {count(playing.left, 'message')} left
          </span>
        </>
      ) : (
        <Button disabled={!chosen.track} onClick={() => void playBack(stream, chosen.track, chosen.portId)}>
          Start playback
        </Button>
      )}
    </div>
  );
}

async function tracksOf(streamId: string): Promise<{ name: string; messages: number }[]> {
  const counts = new Map<string, number>();
  for (const message of await messagesOf(database, streamId)) {
    const name = trackOf(message);
    counts.set(name, (counts.get(name) ?? 0) + 1);
  }
  return [...counts].map(([name, messages]) => ({ name, messages })).sort((a, b) => b.messages - a.messages);
}
