import Papa from 'papaparse';
import { boathouse } from '../store/boathouse';
import { keptBy } from '../store/fixtures/as-it-was';
import type { Take } from '../store/records';
import { readTakeCsv, writeTakeCsv } from './take-csv';

const take = (keptBy(6)['takes'] as unknown as Take[]).find(({ plan }) => !plan);
const rig = boathouse();

test('a take survives a CSV round trip with the same beats and median', () => {
  const back = readTakeCsv(writeTakeCsv([take!]), rig, 'beats.csv');
  expect(back).toMatchObject({ source: 'recording', startedAt: take!.startedAt, input: 'beats.csv' });
  expect(back.lines.map(({ name, gearId }) => [name, gearId])).toEqual(
    take!.lines.map(({ name, gearId }) => [name, gearId]),
  );
  back.lines.forEach((line, i) => {
    expect(line.landings.length).toBe(take!.lines[i]!.landings.length);
    expect(line.report!.medianMs).toBeCloseTo(take!.lines[i]!.report!.medianMs, 9);
  });
});

// RFC 4180: CRLF, quotes doubled. A name that a spreadsheet would evaluate is prefixed with an apostrophe (common
// practice).
test('the CSV follows RFC 4180, and contains no formula', () => {
  const lines = take!.lines.slice(0, 1).map((line) => ({ ...line, name: '=SUM(A1), "x"' }));
  const text = writeTakeCsv([{ ...take!, lines }]);
  expect(text.split('\r\n')[0]).toBe('take,started,gear,beat,due_ms,late_ms,offset_ms');
  expect(text).toContain(`"'=SUM(A1), ""x"""`);
  const { data } = Papa.parse<string[]>(text);
  expect(data[1]![2]).toBe(`'=SUM(A1), "x"`);
  expect(readTakeCsv(text, rig, 'a').lines[0]!.name).toBe('=SUM(A1), "x"');
});

test('a hand-made CSV needs only three columns; a missed beat is empty', () => {
  const rows = Array.from({ length: 12 }, (_, i) => `Porch beat box,${i * 500},${i === 3 ? '' : 12.5}`);
  const { lines } = readTakeCsv(['gear,due_ms,late_ms', ...rows].join('\n'), rig, 'mine.csv');
  expect(lines).toMatchObject([{ gearId: 'porch', report: { medianMs: 12.5, matched: 11, missed: 1 } }]);
});

test('an invalid row is named, counted as in a spreadsheet', () => {
  const table = 'gear,due_ms,late_ms\nBox,0,1\nBox,=1+1,2';
  expect(() => readTakeCsv(table, rig, 'a')).toThrow('Row 3: “due_ms” must be a number, not “=1+1”.');
});
