import { DriftTraces } from './drift-watch';

test('a hit between the beats doesn’t repeat the landing before it', () => {
  const traces = new DriftTraces();
  traces.begin(0);
  // Beats every 500 ms, 5 ms late; an extra hit after each, which is no landing.
  const at = (beat: number) => ({ landedMs: 2000 + 500 * beat + 5, landings: [{ pulse: 0, lateMs: 5 }] });
  for (let beat = 0; beat < 4; beat++) for (let looks = 0; looks < 2; looks++) traces.add([at(beat)]);
  const [only] = Object.values(traces.add([at(3)]));
  expect(only!.trace.map(({ atMs }) => atMs)).toEqual([2005, 2505, 3005, 3505]);
});
