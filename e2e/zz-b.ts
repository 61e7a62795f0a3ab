import { readFileSync } from 'node:fs';
import { deserialize } from 'node:v8';
import { recordingOf, type Part } from './sound-font';
import { analyzeRecording, cutClicks, detectOnsets } from '../core/src/index';
const parts: Part[] = deserialize(readFileSync('/tmp/sf/parts.bin'));
const of = (n: string) => parts.find((p) => p.name === n)!;
for (const [own, other] of [
  ['kick', 'snare'],
  ['snare', 'kick'],
  ['piano', 'closed hat'],
  ['fingered bass', 'kick'],
  ['kick', 'fingered bass'],
  ['clap', 'snare'],
  ['picked bass', 'cowbell'],
  ['clap', 'closed hat'],
  ['marimba', 'rimshot'],
  ['tom', 'kick'],
] as const)
  for (const db of [-50, -40, -30, -20]) {
    const a = recordingOf(of(own), Math.round(18 * 48), {});
    const b = recordingOf(of(other), 96, {});
    const k = 10 ** (db / 20);
    const gear = a.gear.map((v, i) => v + k * b.gear[i]!);
    try {
      const otherCh = b.gear.map((v, i) => v + k * a.gear[i]!);
      const hits = cutClicks(
        otherCh,
        48000,
        detectOnsets(otherCh, 48000).map((o) => o.timeMs),
      );
      if (process.argv[2] && own + other !== process.argv[2]) continue;
      const { report } = analyzeRecording(gear, 48000, { click: a.click }, [hits]);
      console.log(
        own,
        '<-',
        other,
        db,
        'other at',
        b.lateMs.toFixed(2),
        'truth',
        a.lateMs.toFixed(2),
        'got',
        report.medianMs.toFixed(2),
        report.ci95Ms.map((x) => x.toFixed(2)).join('..'),
        report.believable,
        report.besideDb?.toFixed(1),
        report.reason ?? '',
      );
    } catch (e) {
      console.log(own, other, db, String(e));
    }
  }
