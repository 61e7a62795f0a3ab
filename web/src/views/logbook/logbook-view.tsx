import { writeWav } from '@metronomo/core';
import { format } from 'date-fns';
import { Download, Trash2 } from 'lucide-react';
import { Link } from 'react-router';
import { tell } from '../../app/toast-store';
import { BeatLineRow, beatLineDomain } from '../../parts/beat-line';
import { Button } from '../../parts/button';
import { resultInWords, takeInWords } from '../../parts/take-words';
import type { Take } from '../../store/records';
import { deleteTake, loadSound } from '../../store/takes';
import { useTakes } from '../../store/use-takes';

/** Everything that was measured in this rig, newest first. */
export function LogbookView() {
  const takes = useTakes();
  if (takes.length === 0)
    return (
      <div className="p-10">
        <h2 className="mb-2 text-lg font-bold">Nothing in the logbook yet</h2>
        <p className="mb-4 max-w-prose text-soft">
          Every take and proof is kept here with its sound, to be looked at again or exported.
        </p>
        <Link to="/bench" className="border border-ink bg-ink px-3 py-2 text-sm text-sheet">
          Make a take on the Bench
        </Link>
      </div>
    );
  const domain = beatLineDomain(
    takes.flatMap((take) => take.lines.flatMap((line) => line.landings.map(({ lateMs }) => lateMs))),
  );
  return (
    <table className="w-full text-sm">
      <caption className="sr-only">Takes</caption>
      <thead>
        <tr className="ruled-b text-left text-xs text-soft">
          <th className="py-2 pl-5 font-normal">When</th>
          <th className="font-normal">What</th>
          <th className="font-normal">Result</th>
          <th className="w-64 font-normal">Against the beat</th>
          <th className="pr-5 text-right font-normal">Do</th>
        </tr>
      </thead>
      <tbody>
        {takes.map((take) => (
          <tr key={take.id} className="ruled-b align-top">
            <td className="py-2 pl-5 whitespace-nowrap">
              <Link
                to={`/bench/${take.id}`}
                className="underline decoration-rule underline-offset-4 hover:decoration-ink"
              >
                {format(take.startedAt, 'd MMM yyyy, HH:mm:ss')}
              </Link>
            </td>
            <td className="py-2">
              {takeInWords(take)}
              <span className="block text-xs text-soft">{take.ending ?? take.input}</span>
              {take.note && <span className="block max-w-48 text-xs">{take.note}</span>}
            </td>
            <td className="py-2">
              {take.lines.map((line) => (
                <div key={line.channel}>
                  {line.name}: {resultInWords(take, line)}
                </div>
              ))}
            </td>
            <td className="py-2">
              {take.lines
                .filter(({ landings }) => landings.length > 0)
                .map((line) => (
                  <BeatLineRow
                    key={line.channel}
                    height={20}
                    domain={domain}
                    row={{ lateMs: line.landings.map(({ lateMs }) => lateMs) }}
                    label={`${line.name}, ${line.landings.length} landings`}
                  />
                ))}
            </td>
            <td className="py-1 pr-5 text-right whitespace-nowrap">
              <Button
                tone="quiet"
                aria-label="Save its sound as WAV"
                title="Save its sound as WAV"
                onClick={() => void saveSound(take)}
              >
                <Download size={16} aria-hidden />
              </Button>
              <Button
                tone="quiet"
                aria-label="Delete this take"
                title="Delete this take"
                onClick={() => void remove(take)}
              >
                <Trash2 size={16} aria-hidden />
              </Button>
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

async function remove(take: Take): Promise<void> {
  const restore = await deleteTake(take.id);
  tell('The take was deleted.', () => void restore());
}

async function saveSound(take: Take): Promise<void> {
  const channels = await loadSound(take.id);
  if (channels.length === 0) {
    tell('This take has no sound: it ended before anything was captured.');
    return;
  }
  const url = URL.createObjectURL(
    new Blob([writeWav(channels, take.sampleRate) as Uint8Array<ArrayBuffer>], { type: 'audio/wav' }),
  );
  const link = document.createElement('a');
  link.href = url;
  link.download = `metronomo-${format(take.startedAt, 'yyyy-MM-dd-HHmmss')}.wav`;
  link.click();
  URL.revokeObjectURL(url);
}
