import { analyzeRecording } from '../core/src/index';
import { recordingOf, renderInstruments, type Part } from './sound-font';
import { existsSync, readFileSync, writeFileSync } from 'node:fs';
import { serialize, deserialize } from 'node:v8';
const BEATS = [24_000, 464 * 64];
let parts: Part[];
if (existsSync('/tmp/sf/parts.bin')) parts = deserialize(readFileSync('/tmp/sf/parts.bin'));
else {
  parts = [];
  for (const b of BEATS) parts.push(...(await renderInstruments(b)));
  writeFileSync('/tmp/sf/parts.bin', serialize(parts));
}
const conds: Record<string, any> = {
  clean: {},
  noise: { noiseDb: -56 },
  b30: { bleedDb: -30 },
  b40: { bleedDb: -40 },
  b50: { bleedDb: -50 },
};
const which = (process.argv[2] ?? 'clean').split(',');
const delays = (process.argv[3] ?? '0,480').split(',').map(Number);
for (const w of which) {
  let n = 0,
    believed = 0,
    holds = 0,
    off = 0,
    width = 0;
  for (const part of parts)
    for (const d of delays) {
      n++;
      const { gear, click, sampleRate, lateMs } = recordingOf(part, d, conds[w]);
      let r: any;
      try {
        r = analyzeRecording(gear, sampleRate, { click }).report;
      } catch (e) {
        console.log(w, part.name, d, 'ERR', String(e));
        continue;
      }
      const [a, b] = r.ci95Ms;
      const err = r.medianMs - lateMs;
      if (r.believable) {
        believed++;
        width += b - a;
        if (a <= lateMs && lateMs <= b) holds++;
        if (Math.abs(err) > 1) off++;
      }
      const mark = !r.believable
        ? 'REFUSED ' + r.reason
        : (a <= lateMs && lateMs <= b ? '' : 'MISS ') + (Math.abs(err) > 1 ? 'OFF' : '');
      if (mark || process.argv[4])
        console.log(
          w,
          part.name.padEnd(16),
          part.beatSamples,
          d,
          'err',
          err.toFixed(2),
          'ci',
          (a - lateMs).toFixed(2),
          (b - lateMs).toFixed(2),
          mark,
        );
    }
  console.log(w, { n, believed, holds: holds / believed, off, width: width / believed });
}
