import { BEAT_VIEW_MS } from '@metronomo/core';
import { scaleLinear } from 'd3-scale';
import { useSession } from '../../studio/session';
import type { Follower } from '../../studio/use-followers';
import { whole } from '../../words/numbers';
import { useElementWidth } from '../../parts/use-element-width';
import { SampleWaveform } from '../../parts/waveform';
import { useReturnPosition } from './use-return-position';

const ROW_HEIGHT = 44;

/** Waveforms of the last beat: the click and below it each audio return. A flam shows as a step between them. */
export function LatestBeat({ followers }: { followers: Follower[] }) {
  const beat = useSession(({ live }) => live?.beat ?? null);
  const clickChannel = useSession(({ rig }) => rig?.input.clickChannel ?? 0);
  const [ref, width] = useElementWidth();
  const rows = [
    { name: 'Hub click', channel: clickChannel, ink: 'var(--soft)', bleedDb: null, onlyClick: false },
    ...followers.flatMap(({ gear, reading, onlyClick }) =>
      gear.returnChannel === null
        ? []
        : [
            {
              name: gear.name,
              channel: gear.returnChannel,
              ink: 'var(--audio)',
              bleedDb: reading?.bleedDb ?? null,
              onlyClick,
            },
          ],
    ),
  ];
  const scale = scaleLinear([...BEAT_VIEW_MS], [0, width]);
  const height = rows.length * ROW_HEIGHT;
  const [chosen] = followers.length === 1 ? followers : [];
  if (!beat)
    return (
      <p className="p-4 text-sm text-soft">Press Play to see the waveform of each beat: click and audio returns.</p>
    );
  return (
    <section aria-label="Last beat" className="px-5 pt-2 pb-4">
      <h2 className="mb-1 text-lg font-bold">Last beat, {BEAT_VIEW_MS[1] - BEAT_VIEW_MS[0]} ms</h2>
      <div className="grid grid-cols-[150px_1fr] max-sm:grid-cols-[84px_1fr]">
        <div>
          {rows.map(({ name, channel, bleedDb, onlyClick }) => (
            <div key={channel} className="flex flex-col justify-center text-sm" style={{ height: ROW_HEIGHT }}>
              {name}
              {bleedDb !== null && (
                <span className="text-xs text-soft">
                  {onlyClick ? 'Only the click' : 'Click removed'}, {whole(bleedDb)} dB
                </span>
              )}
            </div>
          ))}
        </div>
        <div ref={ref}>
          <svg width={width} height={height + 22} className="block overflow-visible" aria-hidden>
            {rows.map(({ channel, ink }, i) => {
              const samples = beat[channel];
              return (
                samples && (
                  <SampleWaveform
                    key={channel}
                    samples={samples}
                    width={width}
                    top={i * ROW_HEIGHT + 3}
                    height={ROW_HEIGHT - 6}
                    ink={ink}
                  />
                )
              );
            })}
            {scale.ticks(7).map((ms) => (
              <g key={ms}>
                <line
                  x1={scale(ms)}
                  x2={scale(ms)}
                  y1={0}
                  y2={height + 4}
                  stroke={ms === 0 ? 'var(--ink)' : 'var(--rule)'}
                  strokeWidth={ms === 0 ? 2 : 1}
                />
                <text x={scale(ms)} y={height + 18} fontSize="12" textAnchor="middle" fill="var(--ink)">
                  {ms === 0 ? 'beat' : ms}
                </text>
              </g>
            ))}
          </svg>
        </div>
      </div>
      {chosen && <PositionLine follower={chosen} />}
    </section>
  );
}

function PositionLine({ follower }: { follower: Follower }) {
  const position = useReturnPosition(follower);
  return position && <p className="mt-2 text-sm">{position.words}</p>;
}
