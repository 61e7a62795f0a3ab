import { format } from 'date-fns';
import { useLiveQuery } from 'dexie-react-hooks';
import { Trash2 } from 'lucide-react';
import { useState } from 'react';
import { writeMessageFile, writeMessageText } from '@metronomo/core';
import { tell } from '../../app/toast-store';
import { playBack, stopPlayBack, trackOf, useCapture } from '../../hub/capture-flow';
import { Button } from '../../parts/button';
import { InlineSelect } from '../../parts/inline-select';
import { saveFile } from '../../parts/save-file';
import { database } from '../../store/database';
import type { CapturedStream, Rig } from '../../store/records';
import { deleteStream, listStreams, messagesOf } from '../../store/streams';

/** What was captured as it went in and out: saved, or played back as if it came from outside. */
export function StreamList({ rig }: { rig: Rig }) {
  const streams = useLiveQuery(() => listStreams(rig.id), [rig.id]) ?? [];
  const [chosenId, setChosenId] = useState<string | null>(null);
  return (
    <section aria-label="Captured messages" className="flex flex-col gap-2 text-sm">
      <h2 className="text-lg font-bold">Captured messages</h2>
      {streams.length === 0 ? (
        <p className="max-w-prose text-soft">
          Open <b className="text-ink">Messages</b> at the bottom of the page and press{' '}
          <b className="text-ink">Capture</b>: every message in and out is kept until you stop. It can be saved as a
          MIDI file or as text, and played back as if it came from outside.
        </p>
      ) : (
        <ul>
          {streams.map((stream) => (
            <li key={stream.id} className="ruled-b flex flex-col gap-2 py-2">
              <div className="flex flex-wrap items-center gap-x-4 gap-y-1">
                <b>{stream.name}</b>
                <span className="text-soft">
                  {format(stream.startedAt, 'd MMM, HH:mm:ss')} · {stream.messages} messages ·{' '}
                  {(stream.durationMs / 1000).toFixed(1)} s
                </span>
                <span className="ml-auto flex gap-1">
                  <Button tone="quiet" onClick={() => void save(stream, 'midi')}>
                    MIDI file
                  </Button>
                  <Button tone="quiet" onClick={() => void save(stream, 'text')}>
                    Text
                  </Button>
                  <Button
                    aria-expanded={chosenId === stream.id}
                    onClick={() => setChosenId(chosenId === stream.id ? null : stream.id)}
                  >
                    Play back …
                  </Button>
                  <Button
                    tone="quiet"
                    aria-label={`Delete the capture ${stream.name}`}
                    onClick={() =>
                      void deleteStream(stream).then((undo) => tell('The capture was deleted.', () => void undo()))
                    }
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

/** Which of what was captured arrives again, and at which port of the hub's. */
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
        It plays back at a port that comes in to the hub, and this rig has none: draw a cable into the hub in Rig first.
      </p>
    );
  return (
    <div className="flex flex-wrap items-center gap-2 border border-rule p-2.5">
      <InlineSelect
        name="What is played back"
        value={chosen.track}
        options={tracks.map(({ name, count }) => [name, `${name} (${count})`] as const)}
        onChoose={setTrack}
      />
      arrives at
      <InlineSelect
        name="Where it arrives"
        value={chosen.portId}
        options={ports.map((socket) => [socket.portId ?? '', socket.label] as const)}
        onChoose={setPortId}
      />
      {playing?.id === stream.id ? (
        <>
          <Button onClick={() => void stopPlayBack()}>Stop playing back</Button>
          <span className="text-soft" role="status">
            {playing.left} messages to come
          </span>
        </>
      ) : (
        <Button disabled={!chosen.track} onClick={() => void playBack(stream, chosen.track, chosen.portId)}>
          Play it
        </Button>
      )}
    </div>
  );
}

async function tracksOf(streamId: string): Promise<{ name: string; count: number }[]> {
  const counts = new Map<string, number>();
  for (const message of await messagesOf(database, streamId)) {
    const name = trackOf(message);
    counts.set(name, (counts.get(name) ?? 0) + 1);
  }
  return [...counts].map(([name, count]) => ({ name, count })).sort((a, b) => b.count - a.count);
}
