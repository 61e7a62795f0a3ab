import {
  chaseFitness,
  TICKS_PER_BEAT,
  wrongStarts,
  type ChaseReport,
  type DriftReport,
  type FollowingReport,
  type LatencyReport,
  type TempoRunReport,
} from '@metronomo/core';
import { useState } from 'react';
import { Notice } from '../../parts/notice';
import { useLimits, type Limits } from '../../parts/limits';
import { latenessText, signed } from '../../parts/words';
import { againstText } from '../../parts/take-words';
import type { Take, TakeLine } from '../../store/records';
import { leaderHeard } from '../../store/take-kind';
import { LineFigure } from '../../parts/chart-figure';
import { LinePicker } from './line-picker';
import { ProgramNotes, programRows, ProgramVerdict } from './program-result';
import { Numbers, TakeHeader, type Row } from './take-header';
import { count, decimal, plural, whole } from '../../words/numbers';

/** The result of a round trip, chase, tempo or drift take: figures, verdict, chart. */
export function PlanResult({ take }: { take: Take }) {
  const [index, setIndex] = useState(0);
  const line = take.lines[Math.min(index, take.lines.length - 1)];
  const rows = line ? rowsOf(take, line) : [];
  return (
    <div className="flex flex-col gap-4">
      <TakeHeader
        take={take}
        title={line ? `${TITLES[take.plan?.question ?? 'loop']}: ${line.name}` : 'No result'}
        rows={rows}
      />
      {take.lines.length > 1 && <LinePicker lines={take.lines} index={index} onChoose={setIndex} />}
      {take.ending && <Notice>{take.ending} Everything captured until then is saved.</Notice>}
      {line?.problem && <Notice>{line.problem}</Notice>}
      {line && !line.problem && (
        <>
          <Numbers rows={rows} />
          <Verdict take={take} line={line} />
          <Charts line={line} leads={leaderHeard(take.plan) ?? 'hub'} />
        </>
      )}
    </div>
  );
}

const TITLES = {
  against: 'Against the leader',
  leaderSound: 'Leader’s sound',
  calibration: 'Audio round trip',
  midiReturn: 'Returning MIDI',
  loop: 'Round trip over MIDI',
  chase: 'Timecode lock',
  starts: 'Starts',
  startsBySound: 'Starts',
  tempo: 'Tempo response',
  tempoRun: 'Tempo response',
  drift: 'Drift',
  program: 'Program change',
} as const;

function Verdict({ take, line }: { take: Take; line: TakeLine }) {
  const limits = useLimits();
  const { result, report } = line;
  if (take.plan?.question === 'calibration' && report)
    return (
      <p className="max-w-prose">
        {report.believable
          ? `${decimal(report.medianMs, 2)} ms from output to input, ${whole((report.medianMs * take.sampleRate) / 1000)} samples. Saved for ${take.input}; takes without a click input subtract it automatically.`
          : report.reason}
      </p>
    );
  if (take.plan?.question === 'loop' && report)
    return line === take.lines[1] ? (
      <p className="max-w-prose">{throughHubText(report)}</p>
    ) : (
      <p className="max-w-prose">
        {decimal(report.medianMs, 2)} ms round trip, about {decimal(report.medianMs / 2, 2)} ms one way.{' '}
        {report.missed > 0 && `Notes that never returned: ${report.missed}. `}
        {report.extra > 0 && `Extra notes received: ${report.extra}. Check for a MIDI loop. `}
        {take.lines.length === 1 && 'The notes that the hub passed on didn’t return, so its own time isn’t known.'}
      </p>
    );
  if (take.plan?.question === 'midiReturn' && report)
    return <p className="max-w-prose">{returnText(take, line.name, report)}</p>;
  switch (result?.question) {
    case 'chase':
      return <p className="max-w-prose">{chaseText(line.name, result.report, limits)}</p>;
    case 'starts':
      return <p className="max-w-prose">{startsText(line.name, result.report, limits, take.plan)}</p>;
    case 'tempo':
      return (
        <p className="max-w-prose">
          {followingText('After the step', result.step)} {followingText('After the ramp', result.ramp)}{' '}
          {result.step.dependsMs.told
            ? `${latenessText(result.step.dependsMs.differenceMs)} at the second tempo, compared with the first: latency depends on tempo.`
            : 'No measurable change in latency with tempo.'}
        </p>
      );
    case 'tempoRun':
      return <p className="max-w-prose">{tempoRunText(line.name, result.report)}</p>;
    case 'drift':
      return <p className="max-w-prose">{driftText(result.report, againstText(take.plan))}</p>;
    case 'program':
      return <ProgramVerdict line={line} report={result.report} />;
    default:
      return null;
  }
}

function throughHubText({ believable, medianMs, ci95Ms: [low, high], reason }: LatencyReport): string {
  if (!believable) return `Not reliable. ${reason ?? ''}`;
  return `The hub passes notes on in ${decimal(medianMs, 2)} ms (95% interval ${decimal(low, 2)} to ${decimal(high, 2)} ms): each note went through the cable once more, and came back that much later than the cable alone explains.`;
}

function returnText({ bpm, plan }: Take, name: string, report: NonNullable<TakeLine['report']>): string {
  const port = plan?.question === 'midiReturn' ? plan.port : '';
  if (!report.believable) return `Not reliable. ${report.reason ?? ''}`;
  const said = `${name} from ${port} arrives ${latenessText(report.medianMs)}. MIDI only: the sound may come later.`;
  if (name !== 'Clock' || !bpm) return said;
  const tickMs = 60_000 / bpm / TICKS_PER_BEAT;
  return `${said} All ticks are alike, so a whole tick (${decimal(tickMs, 1)} ms) more or less can’t be told.`;
}

const FITNESS: Record<ChaseReport['fitFor'], string> = {
  everything:
    'Every start lands in the same place. Set the offset once and it is tight enough for anything, including recording.',
  'playing along': 'Starts vary slightly. Good enough to play along, not for recording parts that must line up.',
  cues: 'Starts vary too much for any offset to fix. Good enough for lighting cues, not for recording.',
  nothing: 'Too unreliable for chasing timecode.',
};

function chaseText(name: string, report: ChaseReport, { tightMs, playingMs, cuesMs }: Limits): string {
  const { landsMs, lockMs, failed, starts } = report;
  if (!landsMs || !lockMs)
    return `${name} never started. Check that it receives timecode, and that its frame rate matches.`;
  const fit = chaseFitness(report, { everything: tightMs, 'playing along': playingMs, cues: cuesMs });
  const missing = failed > 0 ? ` ${failed} of ${count(starts.length, 'start')} failed.` : '';
  return `Locks in ${decimal(lockMs.median / 1000, 1)} s, ${decimal(lockMs.worst / 1000, 1)} s at worst. Lands ${latenessText(landsMs.median)}, ranging from ${signed(landsMs.least)} to ${signed(landsMs.most)} ms.${missing} ${FITNESS[fit]}`;
}

function startsText(name: string, report: ChaseReport, { tightMs }: Limits, plan: Take['plan']): string {
  const { landsMs, failed, starts } = report;
  if (!landsMs) return `${name} never started. Check that it receives clock and start, and is set to external sync.`;
  const port = plan?.question === 'starts' ? plan.port : undefined;
  const wrong = wrongStarts(starts).map(
    ({ start, later }) =>
      ` Start ${start + 1} began ${count(Math.abs(later), 'beat')} ${later > 0 ? 'later' : 'earlier'} than the others.`,
  );
  const missing = failed > 0 ? ` ${failed} of ${count(starts.length, 'start')} failed.` : '';
  const range = `Lands ${latenessText(landsMs.median)}${againstText(plan)}, ranging from ${signed(landsMs.least)} to ${signed(landsMs.most)} ms.`;
  const linesUp = landsMs.spread <= tightMs && failed === 0 && wrong.length === 0 ? 'will' : 'won’t';
  return `${range}${missing}${wrong.join('')} Parts recorded in separate passes ${linesUp} line up (±${decimal(landsMs.spread / 2, 1)} ms).${port === undefined ? '' : ` MIDI from ${port} only: the sound may vary more.`}`;
}

function stopsText(clicks: number[], whom: 'hub' | 'leader'): string {
  if (clicks.length === 0) return '—';
  const [least, most] = [Math.min(...clicks), Math.max(...clicks)];
  if (least === 0 && most === 0) return `same as the ${whom}`;
  return least === most
    ? `${signed(least, 0)} ${plural(Math.abs(least), 'beat')} from the ${whom}`
    : `${signed(least, 0)} to ${signed(most, 0)} beats from the ${whom}`;
}

function followingText(when: string, { settledMs, strayMs }: FollowingReport): string {
  if (settledMs === null) return `${when}: doesn’t settle within four bars.`;
  if (settledMs < 1 && Math.abs(strayMs) < 0.05) return `${when}: follows immediately.`;
  const took = settledMs < 1 ? 'follows immediately' : `settles in ${decimal(settledMs / 1000, 1)} s`;
  return `${when}: ${took}, straying up to ${signed(strayMs)} ms.`;
}

function tempoRunText(name: string, { changes, missed }: TempoRunReport): string {
  const unsettled = changes.filter(({ settledMs }) => settledMs === null).length;
  const lost = changes.reduce((sum, { ticksLost }) => sum + Math.abs(ticksLost), 0);
  return [
    unsettled > 0
      ? `${name} doesn’t settle after ${unsettled} of ${count(changes.length, 'tempo change')}.`
      : changes.length === 1
        ? `${name} settles after the tempo change.`
        : `${name} settles after all ${changes.length} tempo changes.`,
    lost > 0 && `It ends up about ${count(lost, 'clock tick')} off: stop and start it to line it up again.`,
    missed > 0 && `Beats not heard: ${missed}.`,
  ]
    .filter(Boolean)
    .join(' ');
}

function driftText({ ppm, ci95Ppm, told, msPerSong }: DriftReport, against: string): string {
  const interval = `95% interval ${signed(ci95Ppm[0])} to ${signed(ci95Ppm[1])} ppm`;
  return told
    ? `Runs ${decimal(Math.abs(ppm), 1)} ppm ${ppm > 0 ? 'fast' : 'slow'}${against} (${interval}): ${decimal(Math.abs(msPerSong), 1)} ms over a four-minute song.`
    : `No measurable drift${against} (${interval}): within ${decimal(Math.max(...ci95Ppm.map((one) => Math.abs(one) * 0.24)), 1)} ms over a four-minute song.`;
}

function rowsOf(take: Take, { result, report }: TakeLine): Row[] {
  const isUnreliable = take.plan?.question === 'midiReturn' && report?.believable === false;
  const latency: Row[] = report
    ? isUnreliable
      ? [['Arrived, missed, extra', `${report.matched}, ${report.missed}, ${report.extra}`]]
      : [
          ['Median', `${decimal(report.medianMs, 2)} ms`],
          ['95% interval, ms', `${decimal(report.ci95Ms[0], 2)} to ${decimal(report.ci95Ms[1], 2)}`],
          ['Jitter', `${decimal(report.spreadMs, 2)} ms`],
          ['Heard, missed, extra', `${report.matched}, ${report.missed}, ${report.extra}`],
        ]
    : [];
  switch (result?.question) {
    case 'chase':
    case 'starts': {
      const { landsMs, lockMs, failed, starts } = result.report;
      const stood = starts.flatMap(({ stood }) => (stood ? [stood.follower - stood.hub] : []));
      return [
        ['Median landing', landsMs ? `${signed(landsMs.median)} ms` : '—'],
        ['Start-to-start spread', landsMs ? `${decimal(landsMs.spread, 1)} ms` : '—'],
        [
          result.question === 'chase' ? 'Median lock time' : 'First beat after start',
          lockMs ? `${decimal(lockMs.median / 1000, 2)} s` : '—',
        ],
        ['Starts, failed', `${starts.length}, ${failed}`],
        ['Position after stop', stopsText(stood, leaderHeard(take.plan) === undefined ? 'hub' : 'leader')],
      ];
    }
    case 'tempo': {
      const { step, ramp } = result;
      const settles = ({ settledMs }: FollowingReport) =>
        settledMs === null ? 'never' : `${decimal(settledMs / 1000, 2)} s`;
      return [
        ['Latency before step', `${signed(step.before.medianMs, 2)} ms`],
        ['Latency after step', `${signed(step.after.medianMs, 2)} ms`],
        ['Settling time, step', settles(step)],
        ['Settling time, ramp', settles(ramp)],
        ['Peak deviation, step', `${signed(step.strayMs)} ms`],
        ['Peak deviation, ramp', `${signed(ramp.strayMs)} ms`],
        [
          'Change with tempo (95%)',
          `${signed(step.dependsMs.ci95Ms[0], 2)} to ${signed(step.dependsMs.ci95Ms[1], 2)} ms`,
        ],
      ];
    }
    case 'tempoRun': {
      const { before, changes, missed } = result.report;
      const settling = changes.map(({ settledMs }) => settledMs ?? Infinity);
      const slowest = Math.max(0, ...settling);
      const far = changes.reduce((most, { strayMs }) => (Math.abs(strayMs) > Math.abs(most) ? strayMs : most), 0);
      return [
        ['Latency before', `${signed(before.medianMs, 2)} ms`],
        ['Slowest to settle', slowest === Infinity ? 'never' : `${decimal(slowest / 1000, 2)} s`],
        ['Peak deviation', `${signed(far)} ms`],
        ['Tempo changes', `${changes.length}`],
        ['Beats not heard', `${missed}`],
      ];
    }
    case 'program':
      return programRows(result.report);
    case 'drift': {
      const { ppm, ci95Ppm, msPerSong } = result.report;
      return [
        ['Drift', `${signed(ppm)} ppm`],
        ['95% interval', `${signed(ci95Ppm[0])} to ${signed(ci95Ppm[1])} ppm`],
        ['Over a 4-minute song', `${signed(msPerSong)} ms`],
        ...(report?.believable ? latency : []),
      ];
    }
    default:
      return take.plan?.question === 'calibration' && report
        ? [
            ...latency,
            ['Samples', `${decimal((report.medianMs * take.sampleRate) / 1000, 1)} at ${take.sampleRate / 1000} kHz`],
          ]
        : latency;
  }
}

/** Each change of tempo, in order. */
function TempoChanges({ report: { changes } }: { report: TempoRunReport }) {
  return (
    <table className="w-fit text-sm whitespace-nowrap">
      <caption className="sr-only">Tempo changes</caption>
      <thead className="text-left text-xs text-soft">
        <tr>
          {['At, s', 'BPM', 'Settles in, s', 'Peak deviation, ms', 'Latency change, ms', 'Ticks lost'].map((title) => (
            <th key={title} className="pr-5 font-normal">
              {title}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {changes.map(({ fromMs, fromBpm, toBpm, settledMs, strayMs, shiftMs, ticksLost }) => (
          <tr key={fromMs}>
            <td className="pr-5">{decimal(fromMs / 1000, 1)}</td>
            <td className="pr-5">
              {decimal(fromBpm, 1)} → {decimal(toBpm, 1)}
            </td>
            <td className="pr-5">{settledMs === null ? 'never' : decimal(settledMs / 1000, 2)}</td>
            <td className="pr-5">{signed(strayMs)}</td>
            <td className="pr-5">{signed(shiftMs)}</td>
            <td className="pr-5">{ticksLost}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

function Charts({ line, leads }: { line: TakeLine; leads: string }) {
  const { result, landings, pulsesMs } = line;
  if (result?.question === 'program') return <ProgramNotes report={result.report} />;
  if (result?.question === 'chase' || result?.question === 'starts')
    return (
      <LineFigure
        caption="Landing by start"
        label="Landing of each start"
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
      {result?.question === 'tempoRun' && <TempoChanges report={result.report} />}
      {(result?.question === 'tempo' || result?.question === 'tempoRun') && (
        <LineFigure
          caption={`Tempo: ${leads} (solid) and follower (dashed)`}
          label={`Tempo of ${leads} and follower`}
          x="seconds"
          y="BPM"
          series={[
            { points: tempo, ink: 'ink' },
            { points: heardTempo, dashed: true },
          ]}
        />
      )}
      <LineFigure
        caption={result?.question === 'drift' ? 'Landing of each beat over time' : 'Latency over time'}
        label="Latency over time"
        x="seconds"
        y="ms late"
        series={[{ points, marks: result?.question !== 'drift' }]}
      />
    </div>
  );
}
