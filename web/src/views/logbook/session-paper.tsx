import { HUB_ID } from '@metronomo/core';
import { format } from 'date-fns';
import { Paper } from '../../parts/paper';
import { lateInWords, signed } from '../../parts/words';
import type { Gear, Rig, Take } from '../../store/records';
import { planOf } from '../../store/rig-plan';
import { useTakes } from '../../store/use-takes';
import { BoxSettings } from '../rig/box-settings';
import { TakeThumb } from './take-thumb';

/** A session on paper, to pin on the wall: who leads, what stands where on each box, offsets, and what proves them. */
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
        {format(new Date(), 'd MMMM yyyy, HH:mm')} · {rig.bpm.toFixed(2)} BPM · leads:{' '}
        {rig.leaders.map(nameOf).join(', then ')} · sound comes in by {rig.input.label}, the click on input{' '}
        {rig.input.clickChannel + 1}
      </p>
      {rig.song.tempoFrom === 'sections' && (
        <p className="mb-3">
          Song: {rig.song.sections.map(({ name, bars, bpm }) => `${name} (${bars} bars at ${bpm} BPM)`).join(', ')}
        </p>
      )}
      <table className="w-full text-left text-[12px]">
        <thead>
          <tr className="border-b border-black">
            {['Gear', 'Takes', 'Port', 'Offset in the hub', 'In its own menu', 'Proved'].map((title) => (
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
              <td className="pr-3">{takesWords(gear)}</td>
              <td className="pr-3">{portLabel(rig, gear)}</td>
              <td className="pr-3">{signed(gear.offsetMs, 2)} ms</td>
              <td className="pr-3">{gear.offset.own === 0 ? '' : `${gear.offset.own} ${gear.offset.unit}`}</td>
              <td>{provedWords(proof, gear)}</td>
            </tr>
          ))}
        </tbody>
      </table>
      {proof && (
        <section className="mt-4 break-inside-avoid">
          <h3 className="mb-1 text-[16px] font-bold">
            {proof.kind === 'proof' ? 'Proof' : 'Last take, no proof'} of{' '}
            {format(proof.startedAt, 'd MMMM yyyy, HH:mm')}
          </h3>
          <TakeThumb take={proof} />
        </section>
      )}
      <h3 className="mt-4 mb-1 text-[16px] font-bold">To set on each box</h3>
      <BoxSettings rig={rig} plan={plan} />
    </>
  );
}

function takesWords({ takes, rate, sends, mmc }: Gear): string {
  if (takes === 'nothing') return 'nothing';
  const what = takes === 'timecode' ? `timecode ${rate}` : sends.clock ? 'clock' : '';
  return [what, takes === 'clock' && sends.transport && 'start and stop', sends.position && 'position', mmc && 'MMC']
    .filter(Boolean)
    .join(', ');
}

function portLabel(rig: Rig, { portId }: Gear): string {
  return rig.hubSockets.find((socket) => socket.portId === portId && socket.direction === 'out')?.label ?? '';
}

function provedWords(proof: Take | undefined, gear: Gear): string {
  const line = proof?.lines.find(({ gearId }) => gearId === gear.id);
  if (!line?.report?.believable) return '';
  if (line.offsetMs !== gear.offsetMs) return 'moved since';
  return lateInWords(line.report.medianMs);
}
