import { FASTEST_BPM, SLOWEST_BPM, type Section } from '@metronomo/core';
import { useState } from 'react';
import { Button } from '../../parts/button';
import { RowButtons } from '../../parts/row-buttons';

/** One section of the song as a row of fields. */
export function SectionRow({
  section,
  number,
  count,
  onChange,
  onMove,
  onRemove,
  onGo,
}: {
  section: Section;
  number: number;
  count: number;
  onChange: (next: Partial<Section>) => void;
  onMove: (by: number) => void;
  onRemove: () => void;
  onGo: () => void;
}) {
  const { name, bars, bpm, toBpm, beatsPerBar, beatUnit } = section;
  const number_ = (text: string, least: number, most: number): number | null => {
    const value = Number(text.replace(',', '.'));
    return text.trim() !== '' && value >= least && value <= most ? value : null;
  };
  const time = (text: string): Partial<Section> | null => {
    const match = /^(\d{1,2})\/(1|2|4|8|16|32)$/.exec(text.trim());
    const beats = Number(match?.[1]);
    return match && beats >= 1 && beats <= 64 ? { beatsPerBar: beats, beatUnit: Number(match[2]) } : null;
  };
  const tempo = (key: 'bpm' | 'toBpm') => (text: string) => {
    const value = number_(text, SLOWEST_BPM, FASTEST_BPM);
    return value === null ? null : { [key]: value };
  };
  return (
    <tr>
      <td className="pr-2">
        <Cell
          name={`Section ${number} name`}
          value={name}
          parse={(text) => ({ name: text.trim() })}
          onSave={onChange}
          width="w-36"
        />
      </td>
      <td className="pr-2">
        <Cell
          name={`${name}: bars`}
          value={String(bars)}
          parse={(text) => {
            const value = number_(text, 1, 9999);
            return value !== null && Number.isInteger(value) ? { bars: value } : null;
          }}
          onSave={onChange}
          width="w-16"
        />
      </td>
      <td className="pr-2">
        <Cell name={`${name}: BPM`} value={String(bpm)} parse={tempo('bpm')} onSave={onChange} width="w-20" />
      </td>
      <td className="pr-2">
        <Cell
          name={`${name}: ramp to BPM`}
          value={toBpm === null ? '' : String(toBpm)}
          parse={(text) => (text.trim() === '' ? { toBpm: null } : tempo('toBpm')(text))}
          onSave={onChange}
          width="w-20"
        />
      </td>
      <td className="pr-2">
        <Cell
          name={`${name}: time signature`}
          value={`${beatsPerBar}/${beatUnit}`}
          parse={time}
          onSave={onChange}
          width="w-16"
        />
      </td>
      <td>
        <span className="flex">
          <Button tone="quiet" className="!px-1.5" onClick={onGo}>
            Locate
          </Button>
          <RowButtons name={name} first={number === 1} last={number === count} onMove={onMove} onRemove={onRemove} />
        </span>
      </td>
    </tr>
  );
}

/** A table field, saved on Enter or on leaving it; invalid input is reverted. */
function Cell({
  name,
  value,
  parse,
  onSave,
  width,
}: {
  name: string;
  value: string;
  parse: (text: string) => Partial<Section> | null;
  onSave: (next: Partial<Section>) => void;
  width: string;
}) {
  const [draft, setDraft] = useState<string | null>(null);
  const parsed = draft === null ? null : parse(draft);
  const settle = () => {
    if (parsed !== null && draft !== value) onSave(parsed);
    setDraft(null);
  };
  return (
    <input
      aria-label={name}
      aria-invalid={draft !== null && parsed === null}
      value={draft ?? value}
      maxLength={60}
      className={`border border-rule px-1.5 py-0.5 aria-invalid:border-wrong ${width}`}
      onChange={({ target }) => setDraft(target.value)}
      onBlur={settle}
      onKeyDown={({ key }) => {
        if (key === 'Enter') settle();
        if (key === 'Escape') setDraft(null);
      }}
    />
  );
}
