import { useState } from 'react';
import { latenessBySection } from '@metronomo/core';
import { useLimits } from '../../parts/limits';
import { correct, rejectedOf } from '../../studio/corrections';
import { Advice } from './advice';
import { AllLines } from './all-lines';
import { LinePicker } from './line-picker';
import { SectionTable } from './section-table';
import { TakeHeader, type Row } from './take-header';
import clsx from 'clsx';
import { Notice } from '../../parts/notice';
import { Findings, Unreliable } from './findings';
import { latenessText, offsetText, verdict } from '../../parts/words';
import type { Take, TakeLine } from '../../store/records';
import { Caliper } from './caliper';
import { Histogram } from './histogram';
import { TakeWaveform } from './take-waveform';
import { decimal, whole } from '../../words/numbers';

/** One take: figures and verdict, waveform with grid and onsets, one beat zoomed in, and the distribution. */
export function TakeResult({ take }: { take: Take }) {
  const [index, setIndex] = useState(0);
  const [beat, setBeat] = useState(0);
  const line = take.lines[Math.min(index, take.lines.length - 1)];
  if (!line) return null;
  const byHub = take.plan === undefined;
  const choose = (i: number) => {
    setIndex(i);
    setBeat(0);
  };
  const landing = line.landings[Math.min(beat, line.landings.length - 1)];
  return (
    <div className="flex flex-col gap-4">
      <TakeHeader take={take} title={titleOf(take, line)} rows={numbersOf(line, byHub)} />
      {take.lines.length > 1 && <LinePicker lines={take.lines} index={index} onChoose={choose} />}
      {take.ending && <Notice>{take.ending} Everything captured until then is saved.</Notice>}
      {line.problem && <Notice>{line.problem}</Notice>}
      {line.warning && <Notice>{line.warning}</Notice>}
      {line.report?.believable === true && <Numbers take={take} line={line} byHub={byHub} />}
      {line.report?.believable === false && <Unreliable report={line.report} isLive={take.source === 'live'} />}
      <Findings line={line} />
      {'beatsMs' in take.beats && line.landings.length > 0 && (
        <SectionTable sections={latenessBySection(line.landings, take.beats.sections, take.beats.beatsMs.length)} />
      )}
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
          Beats excluded by hand: {rejectedOf(line).length}.{' '}
          <button
            type="button"
            className="underline underline-offset-2"
            onClick={() => void correct(take, index, null, undefined)}
          >
            Restore all
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
            onCorrect={(lateMs) => correct(take, index, landing.pulse, lateMs)}
          />
          <Histogram values={line.landings.map(({ lateMs }) => lateMs)} />
        </div>
      )}
      {take.lines.length > 1 && <AllLines lines={take.lines} onChoose={choose} />}
    </div>
  );
}

function titleOf({ plan }: Take, { name }: TakeLine): string {
  if (plan?.question === 'against') return `${name} against ${plan.leader}`;
  return plan?.question === 'leaderSound' ? `${name} against its own sync` : `Latency: ${name}`;
}

/** Where another device leads, the hub's offset plays no part. */
function numbersOf({ report, offsetMs }: TakeLine, byHub: boolean): Row[] {
  if (!report) return [];
  const { medianMs, ci95Ms, spreadMs, matched, missed, extra, believable, reason } = report;
  if (!believable)
    return [
      ['Not reliable', reason ?? ''],
      ['Heard, missed, extra', `${matched}, ${missed}, ${extra}`],
    ];
  return [
    ['Median landing, ms late', decimal(medianMs, 3)],
    ['95% interval, ms', `${decimal(ci95Ms[0], 3)} to ${decimal(ci95Ms[1], 3)}`],
    ['Jitter, ms', decimal(spreadMs, 3)],
    ['Heard, missed, extra', `${matched}, ${missed}, ${extra}`],
    ...(byHub ? ([['Offset during take', offsetText(offsetMs)]] satisfies Row[]) : []),
  ];
}

function Numbers({ take, line, byHub }: { take: Take; line: TakeLine; byHub: boolean }) {
  const { sampleRate } = take;
  const { report } = line;
  const limits = useLimits();
  if (!report) return null;
  const { medianMs, ci95Ms, spreadMs, matched, missed, extra } = report;
  const said = verdict(medianMs, limits);
  return (
    <div className="ruled-b grid grid-cols-2 gap-x-6 gap-y-3 pb-4 lg:grid-cols-3 xl:grid-cols-[auto_auto_auto_auto_auto]">
      <Figure
        label="Median landing"
        value={latenessText(medianMs)}
        // Beats imported from CSV have no sample rate.
        below={sampleRate > 0 ? `${whole((medianMs / 1000) * sampleRate)} samples at ${sampleRate / 1000} kHz` : ''}
        strong
      />
      <Figure label="95% interval, ms" value={`${decimal(ci95Ms[0], 2)} to ${decimal(ci95Ms[1], 2)}`} />
      <Figure label="Jitter" value={`${decimal(spreadMs, 2)} ms`} />
      <Figure label="Beats" value={`${matched} heard`} below={`${missed} missed, ${extra} extra`} />
      {byHub && <Figure label="Offset during take" value={offsetText(line.offsetMs)} />}
      <p className="col-span-full text-sm">
        <b>{said.word}</b> {said.meaning} <span className="text-soft">({said.by})</span>{' '}
        <Advice take={take} line={line} />
      </p>
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
