import FFT from 'fft.js';
import wavefile from 'wavefile';
import {
  detectOnsets,
  fromShelf,
  hubGear,
  lineCheck,
  planWires,
  encodeMidi,
  FeedPlanner,
  MidiParser,
  readWav,
  solveOffsets,
  TempoMap,
  writeWav,
  type FeedSettings,
} from '../core/src/index';
import { seededRandom } from '../core/src/standin/random';
import { medianMs, perSecond, timesRealTime, type Figure } from './figures';

const RATE = 48_000;
const clock: FeedSettings = {
  sends: { clock: true, transport: true, position: true, timecode: null },
  offsetMs: -3,
  clockWhileStopped: false,
};

/** A minute of clicks, two per second, over noise 20 dB below them. */
export function noisyMinute(): Float32Array {
  const random = seededRandom(5);
  const samples = Float32Array.from({ length: 60 * RATE }, () => 0.05 * random.normal());
  for (let at = RATE / 3; at < samples.length - 4800; at += RATE / 2)
    for (let i = 0, to = Math.round(at); i < 4800; i++, to++)
      samples[to] = (samples[to] ?? 0) + 0.5 * Math.sin((2 * Math.PI * 2000 * i) / RATE) * Math.exp(-i / 200);
  return samples;
}

export function coreFigures(): Figure[] {
  return [onsets(), planner(), lineChecking(), wirePlanning(), parser(), wav(), solver()];
}

function onsets(): Figure {
  const samples = noisyMinute();
  const ours = medianMs(() => detectOnsets(samples, RATE));
  const beside = medianMs(() => spectralFlux(samples), 3);
  return {
    what: 'Onsets in 60 s of 48 kHz',
    ours: timesRealTime(60, ours),
    beside: `${timesRealTime(60, beside)} for a plain spectral flux with fft.js, to 5 ms only`,
  };
}

/** The general method: spectral flux per frame, without peak picking, with a hop of 256 samples. */
function spectralFlux(samples: Float32Array): number {
  const size = 1024;
  const fft = new FFT(size);
  const out = fft.createComplexArray();
  let before = new Float64Array(size / 2);
  let flux = 0;
  for (let at = 0; at + size < samples.length; at += 256) {
    fft.realTransform(out, Array.from(samples.subarray(at, at + size)));
    const now = Float64Array.from({ length: size / 2 }, (_, i) => Math.hypot(out[2 * i] ?? 0, out[2 * i + 1] ?? 0));
    now.forEach((value, i) => (flux += Math.max(0, value - (before[i] ?? 0))));
    before = now;
  }
  return flux;
}

function planner(): Figure {
  const dayMs = 86_400_000;
  let ticks = 0;
  const ours = medianMs(() => {
    const feed = new FeedPlanner(new TempoMap([{ beat: 0, bpm: 119.97 }]), clock);
    feed.start(0, 0);
    ticks = 0;
    for (let ms = -100; ms < dayMs; ms += 60) ticks += feed.plan(ms, ms + 60).length;
  }, 3);
  // The naive loop accumulates a period; this is the error of its last tick of the day.
  const period = 60_000 / 119.97 / 24;
  let sum = 0;
  for (let i = 0; i < ticks; i++) sum += period;
  return {
    what: 'A day of clock planned, in windows of 60 ms',
    ours: perSecond(ticks, ours),
    beside: `adding periods up is ${Math.abs(sum - ticks * period).toExponential(1)} ms off after the day`,
  };
}

function parser(): Figure {
  const bytes = Uint8Array.from(
    Array.from({ length: 20_000 }, (_, i) => [
      ...encodeMidi({ kind: 'noteOn', channel: 1, note: i % 128, velocity: 90 }),
      0xf8,
    ]).flat(),
  );
  const ours = medianMs(() => new MidiParser().push(bytes, 0));
  return { what: 'MIDI messages parsed', ours: perSecond(40_000, ours), beside: '—' };
}

function wav(): Figure {
  const bytes = writeWav([noisyMinute(), noisyMinute()], RATE);
  const ours = medianMs(() => readWav(bytes), 5);
  const beside = medianMs(() => {
    const file = new wavefile.WaveFile();
    file.fromBuffer(bytes);
    file.getSamples();
  }, 3);
  return {
    what: 'A minute of stereo WAV, 24 bits, read',
    ours: `${ours.toFixed(0)} ms`,
    beside: `${beside.toFixed(0)} ms with wavefile`,
  };
}

function solver(): Figure {
  const random = seededRandom(3);
  const readings = Array.from({ length: 64 }, (_, i) => ({
    id: String(i),
    lateMs: 20 * random.normal(),
    currentOffsetMs: 0,
    resolutionMs: 0.1,
  }));
  return {
    what: 'Offsets of 64 followers solved',
    ours: `${medianMs(() => solveOffsets(readings, 'grid'), 50).toFixed(3)} ms`,
    beside: '—',
  };
}

/** Sixty drum machines in thru chains and behind split boxes, with two hundred sockets connected. */
function lineChecking(): Figure {
  const outs = Array.from({ length: 40 }, (_, i) => ({
    id: `out ${i}`,
    label: `${i}`,
    direction: 'out' as const,
    link: 'usb' as const,
    portId: `port ${i}`,
  }));
  const gear = Array.from({ length: 60 }, (_, i) => fromShelf(i % 2 === 0 ? 'synthesizer' : 'sampler', `g${i}`));
  const wired = (from: string, fromSocket: string, to: string, toSocket: string, id: number) => ({
    id: `c${id}`,
    from: { gearId: from, socketId: fromSocket },
    to: { gearId: to, socketId: toSocket },
    notesPerSecond: id % 3,
  });
  const byHub = Array.from({ length: 140 }, (_, i) => wired('hub', `out ${i % 40}`, `g${i % 60}`, 'usb-in', i));
  const chained = Array.from({ length: 59 }, (_, i) => wired(`g${i}`, 'thru', `g${i + 1}`, 'in', 200 + i));
  const plan = { gear: [hubGear(outs), ...gear], cables: [...byHub, ...chained], leaders: ['hub'] };
  const ms = medianMs(() => lineCheck({ ...plan }));
  return { what: 'Line check of 60 pieces of gear and 199 cables', ours: `${ms.toFixed(1)} ms`, beside: '—' };
}

/** Boxes on ten ports, behind split boxes and thrus. */
function wirePlanning(): Figure {
  const portIds = Array.from({ length: 10 }, (_, i) => `port ${i}`);
  const outs = portIds.map((portId) => ({
    ...{ id: portId, label: portId, direction: 'out' as const, link: 'usb' as const },
    portId,
  }));
  const gear = Array.from({ length: 200 }, (_, i) => fromShelf(i % 10 === 0 ? 'splitBox' : 'beatBox', `g${i}`));
  const cable = (from: string, socketId: string, to: string, id: number) => ({
    id: `c${id}`,
    from: { gearId: from, socketId },
    to: { gearId: to, socketId: 'in' },
    notesPerSecond: 0,
  });
  const byHub = gear.map(({ id }, i) => cable('hub', `port ${i % 10}`, id, i));
  const through = gear.map(({ id, kind }, i) =>
    cable(id, kind === 'splitBox' ? '1' : 'thru', `g${(i * 7 + 1) % 200}`, 200 + i),
  );
  const plan = { gear: [hubGear(outs), ...gear], cables: [...byHub, ...through], leaders: ['hub'] };
  // Plans are memoized by rig.
  const ms = medianMs(() => planWires({ ...plan }));
  return { what: 'Wire plan of 200 pieces of gear and 400 cables', ours: `${ms.toFixed(2)} ms`, beside: '—' };
}
