import { randomNormal } from 'd3-random';
import { uniformFloat64 } from 'pure-rand/distribution/uniformFloat64';
import { xoroshiro128plus } from 'pure-rand/generator/xoroshiro128plus';

/** Seeded randomness: the same seed gives the same sequence. */
export interface SeededRandom {
  /** Uniform in 0 up to, not including, 1. */
  uniform(): number;
  /** Normal, mean 0, standard deviation 1. */
  normal(): number;
}

export function seededRandom(seed: number): SeededRandom {
  const generator = xoroshiro128plus(seed);
  const uniform = () => uniformFloat64(generator);
  return { uniform, normal: randomNormal.source(uniform)(0, 1) };
}
