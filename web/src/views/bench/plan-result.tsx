import { chaseFitness, type ChaseReport, type DriftReport, type FollowingReport } from '@metronomo/core';
import { useState } from 'react';
import { Notice } from '../../parts/notice';
import { useLimits, type Limits } from '../../parts/limits';
import { lateInWords, signed } from '../../parts/words';
import type { Take, TakeLine } from '../../store/records';
import { LineFigure } from '../../parts/chart-figure';
import { LinePicker } from './line-picker';
import { Numbers, TakeHeader, type Row } from './take-header';

/** A take that asked more than how late something sounds: in words, in numbers, as a picture. */
export function PlanResult({ take }: { take: Take }) {
  const [index, setIndex] = useState(0);
  const line = take.lines[Math.min(index, take.lines.length - 1)];
  const rows = line ? rowsOf(take, line) : [];
  return (
    <div className="flex flex-col gap-4">
      <TakeHeader
        take={take}
        title={line ? `${TITLES[take.plan?.question ?? 'loop']}: ${line.name}` : 'Nothing'}
        rows={rows}
      />
      {take.lines.length > 1 && <LinePicker lines={take.lines} index={index} onChoose={setIndex} />}
      {take.ending && <Notice>{take.ending} What was captured is kept.</Notice>}
      {line?.problem && <Notice>{line.problem}</Notice>}
      {line && !line.problem && (
        <>
          <InWords take={take} line={line} />
          <Numbers rows={rows} />
          <Picture line={line} />
        </>
      )}
    </div>
  );
}

const TITLES = {
  calibration: 'What the audio path adds',
  loop: 'There and back',
  chase: 'How fast it locks',
  tempo: 'How it follows',
  drift: 'Whether it drifts',
} as const;

function InWords({ take, line }: { take: Take; line: TakeLine }) {
  const limits = useLimits();
  const { result, report } = line;
  if (take.plan?.question === 'calibration' && report)
    return (
      <p className="max-w-prose">
        {report.believable
          ? `From the computer out and in again takes ${report.medianMs.toFixed(2)} ms, ${((report.medianMs * take.sampleRate) / 1000).toFixed(0)} samples. It is kept with ${take.input}; a take without the click on an input counts it off.`
          : report.reason}
      </p>
    );
  if (take.plan?.question === 'loop' && report)
    return (
      <p className="max-w-prose">
        There and back takes {report.medianMs.toFixed(2)} ms, so one way about {(report.medianMs / 2).toFixed(2)} ms.{' '}
        {report.missed > 0 && `${report.missed} of the notes never came back. `}
        {report.extra > 0 && `${report.extra} came that were not sent: is there a loop? `}
      </p>
    );
  switch (result?.question) {
    case 'chase':
      return <p className="max-w-prose">{chaseInWords(result.report, limits)}</p>;
    case 'tempo':
      return (
        <p className="max-w-prose">
          {followingInWords('After the step', result.step)} {followingInWords('After the ramp', result.ramp)}{' '}
          {result.step.dependsMs.told
            ? `At the other tempo it is ${lateInWords(result.step.dependsMs.differenceMs)} against the first: its latency depends on the tempo.`
            : 'Its latency does not depend on the tempo, as far as can be told.'}
        </p>
      );
    case 'drift':
      return <p className="max-w-prose">{driftInWords(result.report)}</p>;
    default:
      return null;
  }
}

const FITNESS: Record<ChaseReport['fitFor'], string> = {
  everything: 'It lands at the same place each time: an offset does the rest, and it is fit for everything.',
  'playing along':
    'It lands a little elsewhere each time: fit for playing along, not for recording parts that must meet.',
  cues: 'It lands elsewhere each time, further than any offset can mend: fit for cues, as of lights.',
  nothing: 'It cannot be relied on to chase.',
};

function chaseInWords(report: ChaseReport, { tightMs, playingMs, cuesMs }: Limits): string {
  const { landsMs, lockMs, failed, starts } = report;
  if (!landsMs || !lockMs) return 'It never ran. Does timecode arrive there, at the rate that it is set to?';
  const fit = chaseFitness(report, { everything: tightMs, 'playing along': playingMs, cues: cuesMs });
  const missing = failed > 0 ? ` ${failed} of ${starts.length} times it did not run at all.` : '';
  return `It runs ${(lockMs.median / 1000).toFixed(1)} s after the start, ${(lockMs.worst / 1000).toFixed(1)} s at the latest, and lands ${lateInWords(landsMs.median)}, from ${signed(landsMs.least)} to ${signed(landsMs.most)} ms.${missing} ${FITNESS[fit]}`;
}

function stoodInWords(clicks: number[]): string {
  if (clicks.length === 0) return '—';
  const [least, most] = [Math.min(...clicks), Math.max(...clicks)];
  if (least === 0 && most === 0) return 'where the hub stands';
  return least === most
    ? `${signed(least, 0)} clicks from the hub`
    : `${signed(least, 0)} to ${signed(most, 0)} clicks from the hub`;
}

function followingInWords(when: string, { settledMs, strayMs }: FollowingReport): string {
  if (settledMs === null) return `${when} it did not settle within four bars.`;
  if (settledMs < 1 && Math.abs(strayMs) < 0.05) return `${when} it has the tempo at once.`;
  const took = settledMs < 1 ? 'it has the tempo at once' : `it takes ${(settledMs / 1000).toFixed(1)} s to have it`;
  return `${when} ${took}, and strays by ${signed(strayMs)} ms at the most meanwhile.`;
}

function driftInWords({ ppm, ci95Ppm, told, msPerSong }: DriftReport): string {
  const interval = `95 % interval ${signed(ci95Ppm[0])} to ${signed(ci95Ppm[1])} ppm`;
  return told
    ? `It runs ${Math.abs(ppm).toFixed(1)} ppm ${ppm > 0 ? 'fast' : 'slow'} (${interval}): ${Math.abs(msPerSong).toFixed(1)} ms in a song of four minutes.`
    : `No drift can be told (${interval}): in a song of four minutes it stays within ${Math.max(...ci95Ppm.map((one) => Math.abs(one) * 0.24)).toFixed(1)} ms.`;
}

function rowsOf(take: Take, { result, report }: TakeLine): Row[] {
  const middle: Row[] = report
    ? [
        ['Median', `${report.medianMs.toFixed(2)} ms`],
        ['95 % interval, ms', `${report.ci95Ms[0].toFixed(2)} to ${report.ci95Ms[1].toFixed(2)}`],
        ['Spread', `${report.spreadMs.toFixed(2)} ms`],
        ['Heard, missed, extra', `${report.matched}, ${report.missed}, ${report.extra}`],
      ]
    : [];
  switch (result?.question) {
    case 'chase': {
      const { landsMs, lockMs, failed, starts } = result.report;
      const stood = starts.flatMap(({ stood }) => (stood ? [stood.follower - stood.hub] : []));
      return [
        ['Lands, median', landsMs ? `${signed(landsMs.median)} ms` : '—'],
        ['from start to start', landsMs ? `${landsMs.spread.toFixed(1)} ms` : '—'],
        ['Time to lock, median', lockMs ? `${(lockMs.median / 1000).toFixed(2)} s` : '—'],
        ['Starts, failed', `${starts.length}, ${failed}`],
        ['After a stop it stands', stoodInWords(stood)],
      ];
    }
    case 'tempo': {
      const { step, ramp } = result;
      const settles = ({ settledMs }: FollowingReport) =>
        settledMs === null ? 'never' : `${(settledMs / 1000).toFixed(2)} s`;
      return [
        ['Before', `${signed(step.before.medianMs, 2)} ms`],
        ['after the step', `${signed(step.after.medianMs, 2)} ms`],
        ['Has it after the step', settles(step)],
        ['after the ramp', settles(ramp)],
        ['Strays at the step', `${signed(step.strayMs)} ms`],
        ['on the ramp', `${signed(ramp.strayMs)} ms`],
        [
          'The other tempo makes',
          `${signed(step.dependsMs.ci95Ms[0], 2)} to ${signed(step.dependsMs.ci95Ms[1], 2)} ms`,
        ],
      ];
    }
    case 'drift': {
      const { ppm, ci95Ppm, msPerSong } = result.report;
      return [
        ['Drift', `${signed(ppm)} ppm`],
        ['95 % interval', `${signed(ci95Ppm[0])} to ${signed(ci95Ppm[1])} ppm`],
        ['In a song of 4 min', `${signed(msPerSong)} ms`],
        ...middle,
      ];
    }
    default:
      return take.plan?.question === 'calibration' && report
        ? [
            ...middle,
            ['Samples', `${((report.medianMs * take.sampleRate) / 1000).toFixed(1)} at ${take.sampleRate / 1000} kHz`],
          ]
        : middle;
  }
}

function Picture({ line }: { line: TakeLine }) {
  const { result, landings, pulsesMs } = line;
  if (result?.question === 'chase')
    return (
      <LineFigure
        caption="Where it landed, start by start"
        label="Landing of every start"
        x="start"
        whole
        y="ms late"
        series={[
          {
            points: result.report.starts.flatMap(({ landsMs }, i) =>
              landsMs === null ? [] : [{ x: i + 1, y: landsMs }],
            ),
            marks: true,
          },
        ]}
      />
    );
  const points = landings.map(({ pulse, lateMs }) => ({ x: (pulsesMs[pulse] ?? 0) / 1000, y: lateMs }));
  const tempo = pulsesMs.slice(1).map((ms, i) => ({ x: ms / 1000, y: 60_000 / (ms - (pulsesMs[i] ?? 0)) }));
  const heardTempo = landings.slice(1).flatMap(({ pulse, lateMs }, i) => {
    const before = landings[i];
    if (!before || before.pulse !== pulse - 1) return [];
    const [now = 0, then = 0] = [pulsesMs[pulse], pulsesMs[before.pulse]];
    return [{ x: now / 1000, y: 60_000 / (now + lateMs - then - before.lateMs) }];
  });
  return (
    <div className="flex flex-col gap-5">
      {result?.question === 'tempo' && (
        <LineFigure
          caption="The tempo: the hub’s, and dashed what was heard of it"
          label="Tempo of hub and follower"
          x="seconds"
          y="BPM"
          series={[
            { points: tempo, ink: 'ink' },
            { points: heardTempo, dashed: true },
          ]}
        />
      )}
      <LineFigure
        caption={result?.question === 'drift' ? 'How late each beat was heard' : 'How late each one came'}
        label="Lateness over time"
        x="seconds"
        y="ms late"
        series={[{ points, marks: result?.question !== 'drift' }]}
      />
    </div>
  );
}
