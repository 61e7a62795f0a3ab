import { useElementWidth } from '../../parts/use-element-width';
import type { Take, TakeLine } from '../../store/records';
import { Waveform } from '../../parts/waveform';
import { useEnvelopes } from './use-sound';

const TOP = 20;
const CLICK_HEIGHT = 44;
const GEAR_HEIGHT = 84;
/** Length of the onset ticks under the device's waveform. */
const ONSET_TICK = 16;

interface Props {
  take: Take;
  line: TakeLine;
  /** The selected beat. */
  beat: number | null;
  onBeat: (pulse: number) => void;
}

/**
 * The whole take, or the device's turn: click above device, the grid through both, a line per onset; press a beat to
 * zoom in.
 */
export function TakeWaveform({ take, line, beat, onBeat }: Props) {
  const [ref, width] = useElementWidth();
  const { beatsPerBar = 4 } = take;
  const clickChannel = 'clickChannel' in take.beats ? take.beats.clickChannel : null;
  const channels = clickChannel === null ? [line.channel] : [line.channel, clickChannel];
  const shapes = useEnvelopes(take.id, channels, width, line.within ?? null);
  const [gearShape, clickShape] = shapes ?? [];
  const [fromMs, toMs] = line.within ?? [0, (take.frames / take.sampleRate) * 1000];
  const perMs = width / (toMs - fromMs);
  const x = (ms: number) => (ms - fromMs) * perMs;
  const gearTop = TOP + (clickChannel === null ? 0 : CLICK_HEIGHT + 8);
  const height = gearTop + GEAR_HEIGHT + 4 + ONSET_TICK;
  const beatWidth = perMs * ((line.pulsesMs[1] ?? 500) - (line.pulsesMs[0] ?? 0));
  const step = (by: number) => {
    const at = line.landings.findIndex(({ pulse }) => pulse === beat);
    const next = line.landings[at + by];
    if (next) onBeat(next.pulse);
  };
  return (
    <div
      ref={ref}
      role="slider"
      tabIndex={0}
      aria-label="Selected beat"
      aria-valuemin={1}
      aria-valuemax={Math.max(1, line.pulsesMs.length)}
      aria-valuenow={(beat ?? 0) + 1}
      aria-valuetext={`beat ${(beat ?? 0) + 1} of ${line.pulsesMs.length}`}
      onKeyDown={(event) => {
        if (event.key === 'ArrowRight') step(1);
        if (event.key === 'ArrowLeft') step(-1);
      }}
      onClick={(event) => {
        const ms = fromMs + (event.clientX - event.currentTarget.getBoundingClientRect().left) / perMs;
        const nearest = line.landings.reduce<number | null>((best, { pulse }) => {
          const away = (other: number) => Math.abs((line.pulsesMs[other] ?? 0) + beatWidth / perMs / 3 - ms);
          return best === null || away(pulse) < away(best) ? pulse : best;
        }, null);
        if (nearest !== null) onBeat(nearest);
      }}
    >
      <svg width={width} height={height} className="block" aria-hidden>
        {line.pulsesMs.map((ms, i) => (
          <g key={i}>
            <line
              x1={x(ms)}
              x2={x(ms)}
              y1={TOP - 4}
              y2={height - ONSET_TICK}
              stroke="var(--ink)"
              strokeWidth={i % beatsPerBar === 0 ? 1.5 : 0.5}
            />
            {i % beatsPerBar === 0 && (
              <text x={x(ms) + 2} y={12} fontSize="12" fill="var(--soft)">
                {i / beatsPerBar + 1}
              </text>
            )}
          </g>
        ))}
        {clickShape && <Waveform envelope={clickShape} top={TOP} height={CLICK_HEIGHT} ink="var(--soft)" />}
        {gearShape && <Waveform envelope={gearShape} top={gearTop} height={GEAR_HEIGHT} ink="var(--audio)" />}
        {line.onsetsMs.map((ms, i) => (
          <line
            key={i}
            x1={x(ms)}
            x2={x(ms)}
            y1={height - ONSET_TICK}
            y2={height}
            stroke="var(--wrong)"
            strokeWidth="1.5"
          />
        ))}
        {beat !== null && (
          <rect
            x={x(line.pulsesMs[beat] ?? 0) - 3}
            y={TOP - 2}
            width={beatWidth * 0.6}
            height={height - TOP}
            fill="none"
            stroke="var(--ink)"
            strokeDasharray="4 3"
          />
        )}
      </svg>
    </div>
  );
}
