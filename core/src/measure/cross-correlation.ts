import FFT from 'fft.js';

const { ceil, log2, max } = Math;

const transforms = new Map<number, FFT>();

/**
 * Cross-correlation of `sound` with a shorter `shape`: element k is for the stretch that begins at sample k. Computed
 * by Fourier transform (correlation theorem), exact but for rounding.
 */
export function crossCorrelation(sound: Float64Array, shape: Float64Array): Float64Array {
  const size = 2 ** ceil(log2(max(2, sound.length)));
  const transform = transforms.get(size) ?? new FFT(size);
  transforms.set(size, transform);
  const product = spectrumOf(transform, sound, size);
  const other = spectrumOf(transform, shape, size);
  for (let i = 0; i < product.length; i += 2) {
    const [re, im] = [product[i] as number, product[i + 1] as number];
    const [otherRe, otherIm] = [other[i] as number, other[i + 1] as number];
    product[i] = re * otherRe + im * otherIm;
    product[i + 1] = im * otherRe - re * otherIm;
  }
  const correlation = transform.createComplexArray();
  transform.inverseTransform(correlation, product);
  return Float64Array.from({ length: sound.length - shape.length + 1 }, (_, at) => correlation[2 * at] as number);
}

function spectrumOf(transform: FFT, values: Float64Array, size: number): number[] {
  const padded = new Float64Array(size);
  padded.set(values);
  const spectrum = transform.createComplexArray();
  transform.realTransform(spectrum, padded);
  transform.completeSpectrum(spectrum);
  return spectrum;
}
