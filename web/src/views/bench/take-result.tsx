import { useState } from 'react';
import { Link } from 'react-router';
import { useLimits } from '../../parts/limits';
import { correct, rejectedOf } from './correct';
import { AllLines } from './all-lines';
import { LinePicker } from './line-picker';
import { TakeHeader, type Row } from './take-header';
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
  const choose = (i: number) => {
    setIndex(i);
    setBeat(0);
  };
  const landing = line.landings[Math.min(beat, line.landings.length - 1)];
  return (
    <div className="flex flex-col gap-4">
      <TakeHeader take={take} title={`How late ${line.name} sounds`} rows={numbersOf(line)} />
      {take.lines.length > 1 && <LinePicker lines={take.lines} index={index} onChoose={choose} />}
      {take.ending && <Notice>{take.ending} What was captured is kept.</Notice>}
      {line.problem && <Notice>{line.problem}</Notice>}
      {line.warning && <Notice>{line.warning}</Notice>}
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
      {rejectedOf(line).length > 0 && (
        <p className="text-sm">
          By hand: {rejectedOf(line).length} beats do not count.{' '}
          <button
            type="button"
            className="underline underline-offset-2"
            onClick={() => void correct(take, index, null, undefined)}
          >
            All as measured
          </button>
        </p>
      )}
      {landing && (
        <div className="grid grid-cols-1 gap-6 lg:grid-cols-[3fr_2fr]">
          <Caliper
            key={`${index} ${landing.pulse}`}
            takeId={take.id}
            channel={line.channel}
            sampleRate={take.sampleRate}
            pulseMs={line.pulsesMs[landing.pulse] ?? 0}
            landing={landing}
            byHand={line.corrections?.[landing.pulse] !== undefined}
            onCorrect={(lateMs) => void correct(take, index, landing.pulse, lateMs)}
          />
          <Histogram values={line.landings.map(({ lateMs }) => lateMs)} />
        </div>
      )}
      {take.lines.length > 1 && <AllLines lines={take.lines} onChoose={choose} />}
    </div>
  );
}

function numbersOf({ report, offsetMs }: TakeLine): Row[] {
  if (!report || report.matched === 0) return [];
  const { medianMs, ci95Ms, spreadMs, matched, missed, extra } = report;
  return [
    ['Lands, ms late', medianMs.toFixed(3)],
    ['95 % interval, ms', `${ci95Ms[0].toFixed(3)} to ${ci95Ms[1].toFixed(3)}`],
    ['Spread, ms', spreadMs.toFixed(3)],
    ['Heard, missed, extra', `${matched}, ${missed}, ${extra}`],
    ['Offset then', offsetInWords(offsetMs)],
  ];
}

function Numbers({ line, sampleRate }: { line: TakeLine; sampleRate: number }) {
  const { report } = line;
  const limits = useLimits();
  if (!report) return null;
  const { medianMs, ci95Ms, spreadMs, matched, missed, extra, believable, reason } = report;
  const said = verdict(medianMs, limits);
  return (
    <div className="ruled-b grid grid-cols-2 gap-x-6 gap-y-3 pb-4 lg:grid-cols-[auto_auto_auto_auto_1fr_auto]">
      <Figure
        label="Lands"
        value={lateInWords(medianMs)}
        // A table of beats knows of no samples.
        below={
          sampleRate > 0 ? `${((medianMs / 1000) * sampleRate).toFixed(0)} samples at ${sampleRate / 1000} kHz` : ''
        }
        strong
      />
      <Figure label="95 % interval, ms" value={`${ci95Ms[0].toFixed(2)} to ${ci95Ms[1].toFixed(2)}`} />
      <Figure label="Spread" value={`${spreadMs.toFixed(2)} ms`} />
      <Figure label="Beats" value={`${matched} heard`} below={`${missed} missed, ${extra} extra`} />
      <p className="text-sm">
        {believable ? (
          <>
            <b>{said.word}</b> {said.meaning} <span className="text-soft">({said.by})</span>{' '}
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
