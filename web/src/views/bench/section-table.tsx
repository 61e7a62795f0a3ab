import type { SectionLateness } from '@metronomo/core';
import { latenessText } from '../../parts/words';
import { decimal } from '../../words/numbers';

/** How late a recorded part was in each section of its song. */
export function SectionTable({ sections }: { sections: SectionLateness[] }) {
  if (sections.length === 0) return null;
  return (
    <table className="w-full max-w-2xl text-sm">
      <caption className="pb-1 text-left font-bold">By section</caption>
      <thead className="text-left text-xs text-soft">
        <tr>
          {['Section', 'Median landing', '95% interval, ms', 'Beats heard'].map((name) => (
            <th key={name} scope="col" className="py-1 font-normal">
              {name}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {sections.map(({ name, beats, heard, medianMs, ci95Ms }, i) => (
          <tr key={i} className="border-t border-rule">
            <th scope="row" className="max-w-48 truncate py-1 text-left font-normal">
              {name}
            </th>
            <td>{medianMs === null ? 'too few beats heard' : latenessText(medianMs)}</td>
            <td>{ci95Ms ? `${decimal(ci95Ms[0], 2)} to ${decimal(ci95Ms[1], 2)}` : ''}</td>
            <td>
              {heard} of {beats}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
