const { PI, abs, cos, floor, sin } = Math;

/** Sinc taps on each side of the interpolated sample. */
const REACH = 32;

/**
 * Shifts audio later by a number of samples (minus: earlier), keeping its length; silence fills the gap. Whole numbers
 * copy samples bit for bit. Fractions are interpolated with a 64-tap sinc under a Blackman window (T. I. Laakso et al.,
 * "Splitting the unit delay", 1996, recalled).
 */
export function shiftSound(samples: Float32Array, bySamples: number): Float32Array {
  const whole = floor(bySamples);
  const fraction = bySamples - whole;
  if (fraction < 1e-6) return shiftWhole(samples, whole);
  if (fraction > 1 - 1e-6) return shiftWhole(samples, whole + 1);
  const kernel = kernelAt(fraction);
  const shifted = new Float32Array(samples.length);
  for (let i = 0; i < shifted.length; i++) {
    const first = i - whole - REACH;
    let sum = 0;
    for (let k = 0; k < kernel.length; k++) sum += (kernel[k] as number) * (samples[first + k] ?? 0);
    shifted[i] = sum;
  }
  return shifted;
}

function shiftWhole(samples: Float32Array, by: number): Float32Array {
  const shifted = new Float32Array(samples.length);
  if (abs(by) >= samples.length) return shifted;
  if (by >= 0) shifted.set(samples.subarray(0, samples.length - by), by);
  else shifted.set(samples.subarray(-by));
  return shifted;
}

/** Weights of the samples from `REACH` before the new position on. */
function kernelAt(fraction: number): Float64Array {
  const kernel = new Float64Array(2 * REACH);
  for (let k = 0; k < kernel.length; k++) {
    const x = k - REACH + fraction;
    const window = 0.42 + 0.5 * cos((PI * x) / REACH) + 0.08 * cos((2 * PI * x) / REACH);
    kernel[k] = abs(x) >= REACH ? 0 : sinc(x) * window;
  }
  const sum = kernel.reduce((all, one) => all + one, 0);
  return kernel.map((one) => one / sum);
}

function sinc(x: number): number {
  return x === 0 ? 1 : sin(PI * x) / (PI * x);
}
