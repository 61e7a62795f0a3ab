import { format } from 'date-fns';
import { useState } from 'react';
import { Link } from 'react-router';
import clsx from 'clsx';
import { Notice } from '../../parts/notice';
import { lateInWords, moveInWords, offsetInWords, verdict } from '../../parts/words';
import type { Take, TakeLine } from '../../store/records';
import { Caliper } from './caliper';
import { Histogram } from './histogram';
import { TakeWaveform } from './take-waveform';

/** One take: its sound with grid and onsets, one beat up close, the spread, and the result in words and numbers. */
export function TakeResult({ take }: { take: Take }) {
  const [index, setIndex] = useState(0);
  const [beat, setBeat] = useState(0);
  const line = take.lines[Math.min(index, take.lines.length - 1)];
  if (!line) return null;
  const landing = line.landings[Math.min(beat, line.landings.length - 1)];
  return (
    <div className="flex flex-col gap-4">
      <header className="flex flex-wrap items-center gap-x-4 gap-y-2">
        <div className="flex" role="group" aria-label="Follower shown">
          {take.lines.map(({ name, channel }, i) => (
            <button
              key={channel}
              type="button"
              aria-pressed={i === index}
              onClick={() => {
                setIndex(i);
                setBeat(0);
              }}
              className={clsx(
                '-ml-px border border-ink px-3 py-1.5 text-sm first:ml-0',
                i === index ? 'bg-ink text-sheet' : 'bg-raised hover:bg-sheet',
              )}
            >
              {name}
            </button>
          ))}
        </div>
        <p className="text-sm text-soft">{conditions(take, line)}</p>
      </header>
      {take.ending && <Notice>{take.ending} What was captured is kept.</Notice>}
      {line.problem && <Notice>{line.problem}</Notice>}
      {line.report && line.report.matched > 0 && <Numbers line={line} sampleRate={take.sampleRate} />}
      {take.frames > 0 && (
        <TakeWaveform
          take={take}
          line={line}
          beat={landing?.pulse ?? null}
          onBeat={(pulse) =>
            setBeat(
              Math.max(
                0,
                line.landings.findIndex((one) => one.pulse === pulse),
              ),
            )
          }
        />
      )}
      {landing && (
        <div className="grid grid-cols-1 gap-6 lg:grid-cols-[3fr_2fr]">
          <Caliper
            takeId={take.id}
            channel={line.channel}
            sampleRate={take.sampleRate}
            pulseMs={line.pulsesMs[landing.pulse] ?? 0}
            landing={landing}
          />
          <Histogram values={line.landings.map(({ lateMs }) => lateMs)} />
        </div>
      )}
    </div>
  );
}

function conditions(take: Take, line: TakeLine): string {
  return [
    take.proof && 'proof',
    format(take.startedAt, 'd MMM, HH:mm'),
    take.bpm && `${take.bpm.toFixed(1)} BPM`,
    take.sampleRate > 0 && `${take.sampleRate / 1000} kHz`,
    take.input,
    take.gaps && `the sound broke off ${take.gaps}×`,
    `offset then: ${offsetInWords(line.offsetMs)}`,
  ]
    .filter(Boolean)
    .join(' · ');
}

function Numbers({ line, sampleRate }: { line: TakeLine; sampleRate: number }) {
  const { report } = line;
  if (!report) return null;
  const { medianMs, ci95Ms, spreadMs, matched, missed, extra, believable, reason } = report;
  const said = verdict(medianMs);
  return (
    <div className="ruled-b grid grid-cols-2 gap-x-6 gap-y-3 pb-4 lg:grid-cols-[auto_auto_auto_auto_1fr_auto]">
      <Figure
        label="Lands"
        value={lateInWords(medianMs)}
        below={`${((medianMs / 1000) * sampleRate).toFixed(0)} samples at ${sampleRate / 1000} kHz`}
        strong
      />
      <Figure label="95 % interval, ms" value={`${ci95Ms[0].toFixed(2)} to ${ci95Ms[1].toFixed(2)}`} />
      <Figure label="Spread" value={`${spreadMs.toFixed(2)} ms`} />
      <Figure label="Beats" value={`${matched} heard`} below={`${missed} missed, ${extra} extra`} />
      <p className="text-sm">
        {believable ? (
          <>
            <b>{said.word}</b> {said.meaning}{' '}
            {Math.abs(medianMs) >= 0.05 && <>To put it on the beat, {moveInWords(-medianMs)}.</>}
          </>
        ) : (
          <>
            <b className="text-attention">Not to be believed.</b> {reason}
          </>
        )}
      </p>
      {line.gearId && (
        <Link to="/align" className="self-start border border-ink bg-raised px-3 py-1.5 text-sm hover:bg-sheet">
          Align →
        </Link>
      )}
    </div>
  );
}

function Figure({
  label,
  value,
  below,
  strong = false,
}: {
  label: string;
  value: string;
  below?: string;
  strong?: boolean;
}) {
  return (
    <div>
      <div className="text-xs text-soft">{label}</div>
      <div className={clsx('whitespace-nowrap', strong ? 'text-[24px] leading-tight font-bold' : 'text-[19px]')}>
        {value}
      </div>
      {below && <div className="text-xs text-soft">{below}</div>}
    </div>
  );
}
