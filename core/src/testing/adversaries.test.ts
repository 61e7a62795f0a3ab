import { adversary, judge, verdictOn } from './adversaries';

/** `npm run soak -- --adversaries 100000` plays as many as you like. */
const SEEDS = Array.from({ length: 250 }, (_, i) => i + 1);

test.each(['steady', 'quick'] as const)(
  'whatever goes wrong with a clock, %s ends up on the right tick, or says that it isn’t sure',
  (response) => {
    const verdicts = SEEDS.map((seed) => verdictOn(adversary(seed), response));
    expect(verdicts.filter((verdict) => judge(verdict) === 'wrong')).toEqual([]);
    expect(verdicts.filter((verdict) => judge(verdict) === 'needlessly unsure').length).toBeLessThan(4);
    // Most of them can be told.
    expect(verdicts.filter(({ undecidable }) => !undecidable).length).toBeGreaterThan(SEEDS.length / 2);
  },
);
