import { HUB_ID } from '@metronomo/core';
import { Paper } from '../../parts/paper';
import { latenessText, signed } from '../../parts/words';
import type { Gear, Rig, Take } from '../../store/records';
import { planOf } from '../../store/rig-plan';
import { useTakes } from '../../studio/use-takes';
import { BoxSettings } from '../rig/box-settings';
import { TakeThumb } from './take-thumb';
import { count, decimal, fps } from '../../words/numbers';
import { longDateAndTime } from '../../parts/dates';

/** The printed session sheet: leader, offsets, device settings and the latest proof. */
export function SessionPaper({ rig }: { rig: Rig }) {
  return (
    <Paper>
      <Session rig={rig} />
    </Paper>
  );
}

function Session({ rig }: { rig: Rig }) {
  const takes = useTakes();
  const proof =
    takes.find(({ kind, status }) => kind === 'proof' && status === 'done') ?? takes.find(({ plan }) => !plan);
  const plan = planOf(rig);
  const nameOf = (id: string) => (id === HUB_ID ? 'the hub' : (rig.gear.find((one) => one.id === id)?.name ?? id));
  return (
    <>
      <h2 className="text-[22px] font-bold">{rig.name}</h2>
      <p className="mb-3">
        {longDateAndTime(new Date())} · {decimal(rig.bpm, 2)} BPM · leader: {rig.leaders.map(nameOf).join(', then ')} ·
        audio input: {rig.input.label}, click input {rig.input.clickChannel + 1}
      </p>
      {rig.song.tempoFrom === 'sections' && (
        <p className="mb-3">
          Song:{' '}
          {rig.song.sections.map(({ name, bars, bpm }) => `${name} (${count(bars, 'bar')} at ${bpm} BPM)`).join(', ')}
        </p>
      )}
      <table className="w-full text-left text-[12px]">
        <thead>
          <tr className="border-b border-black">
            {['Gear', 'Sync', 'Output port', 'Hub offset', 'Device offset', 'Residual'].map((title) => (
              <th key={title} className="py-1 pr-3">
                {title}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {rig.gear.map((gear) => (
            <tr key={gear.id} className="break-inside-avoid border-b border-neutral-300 align-top">
              <th scope="row" className="py-1 pr-3">
                {gear.name}
              </th>
              <td className="pr-3">{syncWords(gear)}</td>
              <td className="pr-3">{portLabel(rig, gear)}</td>
              <td className="pr-3">{signed(gear.offsetMs, 2)} ms</td>
              <td className="pr-3">{gear.offset.own === 0 ? '' : `${gear.offset.own} ${gear.offset.unit}`}</td>
              <td>{residualWords(proof, gear)}</td>
            </tr>
          ))}
        </tbody>
      </table>
      <h3 className="mt-4 mb-1 text-[16px] font-bold">Device settings</h3>
      <BoxSettings rig={rig} plan={plan} />
      {proof && (
        <section className="mt-4 break-inside-avoid">
          <h3 className="mb-1 text-[16px] font-bold">
            {proof.kind === 'proof' ? 'Proof' : 'Last take (no Proof yet)'}, {longDateAndTime(proof.startedAt)}
          </h3>
          <TakeThumb take={proof} />
        </section>
      )}
    </>
  );
}

function syncWords({ syncsTo, rate, sends, mmc }: Gear): string {
  if (syncsTo === 'nothing') return 'none';
  const what = syncsTo === 'timecode' ? `timecode ${fps(rate)}` : sends.clock ? 'MIDI clock' : '';
  return [what, syncsTo === 'clock' && sends.transport && 'start/stop', sends.position && 'song position', mmc && 'MMC']
    .filter(Boolean)
    .join(', ');
}

function portLabel(rig: Rig, { portId }: Gear): string {
  return rig.hubSockets.find((socket) => socket.portId === portId && socket.direction === 'out')?.label ?? '';
}

function residualWords(proof: Take | undefined, gear: Gear): string {
  const line = proof?.lines.find(({ gearId }) => gearId === gear.id);
  if (!line?.report?.believable) return 'not measured';
  if (line.offsetMs !== gear.offsetMs) return 'offset changed since';
  const [low, high] = line.report.ci95Ms;
  return `${latenessText(line.report.medianMs)} (95%: ${signed(low, 2)} to ${signed(high, 2)} ms)`;
}
