import { latenessBySection } from './lateness-by-section';

test('lateness by section: 5 ms in the verse, 20 ms in the chorus, and no number for three hits', () => {
  const sections = [
    { name: 'Verse', fromPulse: -8 },
    { name: 'Chorus', fromPulse: 8 },
    { name: 'Outro', fromPulse: 16 },
  ];
  const landings = Array.from({ length: 19 }, (_, pulse) => ({ pulse, lateMs: pulse < 8 ? 5 : pulse < 16 ? 20 : 1 }));
  expect(latenessBySection(landings, sections, 24)).toEqual([
    { name: 'Verse', beats: 8, heard: 8, medianMs: 5, ci95Ms: [5, 5] },
    { name: 'Chorus', beats: 8, heard: 8, medianMs: 20, ci95Ms: [20, 20] },
    { name: 'Outro', beats: 8, heard: 3, medianMs: null, ci95Ms: null },
  ]);
});
