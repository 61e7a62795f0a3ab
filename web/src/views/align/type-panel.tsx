import { ownOffsetFor, type OffsetPlace } from '@metronomo/core';
import type { AlignRow, Plan } from '../../align/align-rows';
import { changeRig } from '../../hub/session';
import { Button } from '../../parts/button';
import { inUnit, lateIn } from '../../parts/units';
import { lateInWords } from '../../parts/words';
import type { Gear, Rig } from '../../store/records';
import { useAlignLook, useUnitAt } from './look';

const RATES = [44_100, 48_000, 88_200, 96_000];

/** Where each offset goes: the hub sends it earlier, or a card says what to type into its own menu. */
export function TypePanel({ plan, rig }: { plan: Plan; rig: Rig }) {
  return (
    <div className="flex flex-col gap-4 px-5 py-4">
      <p className="max-w-prose text-sm text-soft">
        The hub can send each follower its time earlier or later at once. Gear and programs with an offset of their own
        can take it there instead, so that they are in time without the hub too. It belongs in one of the two, never in
        both.
      </p>
      <ul className="grid grid-cols-1 items-start gap-4 md:grid-cols-2 xl:grid-cols-3">
        {plan.rows.map((row) => (
          <Card key={row.gear.id} row={row} rig={rig} />
        ))}
      </ul>
    </div>
  );
}

function change(id: string, next: (gear: Gear) => Partial<Gear>): void {
  void changeRig((rig) => ({ ...rig, gear: rig.gear.map((one) => (one.id === id ? { ...one, ...next(one) } : one)) }));
}

function Card({ row, rig }: { row: AlignRow; rig: Rig }) {
  const { gear, byNotes, known } = row;
  const unit = useAlignLook(({ unit }) => unit);
  const at = useUnitAt();
  const { offset } = gear;
  const place = (next: Partial<OffsetPlace>) => change(gear.id, (one) => ({ offset: { ...one.offset, ...next } }));
  const twice = offset.own !== 0 && gear.offsetMs !== 0;
  return (
    <li className="flex flex-col gap-2 border border-ink bg-raised p-3 text-sm">
      <div className="flex items-center gap-2">
        <b className="flex-1 truncate text-base">{gear.name}</b>
        <select
          aria-label={`Where the offset of ${gear.name} goes`}
          className="border border-rule px-1.5 py-1"
          value={offset.where}
          onChange={({ target }) => place({ where: target.value as OffsetPlace['where'] })}
        >
          <option value="hub">in the hub</option>
          <option value="own">in its own menu</option>
        </select>
      </div>
      {offset.where === 'own' ? <OwnMenu row={row} rig={rig} onPlace={place} /> : <InHub row={row} />}
      {twice && (
        <p className="text-attention">
          <b>On both sides.</b> {offset.own} {offset.unit} stand in its menu, and the hub sends it{' '}
          {inUnit(gear.offsetMs, unit, at)} {gear.offsetMs < 0 ? 'earlier' : 'later'} besides.{' '}
          <button
            type="button"
            className="underline underline-offset-2"
            onClick={() => change(gear.id, () => ({ offsetMs: 0 }))}
          >
            Only in its menu
          </button>
        </p>
      )}
      {known && byNotes && (
        <p className="text-soft">
          By its own pattern it is {lateIn(known.lateMs, unit, at)}, by notes {lateIn(byNotes.lateMs, unit, at)}: where
          it has an offset for each, notes take theirs.
        </p>
      )}
    </li>
  );
}

function InHub({ row: { gear } }: { row: AlignRow }) {
  const unit = useAlignLook(({ unit }) => unit);
  const at = useUnitAt();
  return (
    <p className="text-soft">
      {gear.offsetMs === 0
        ? 'Nothing to type: the hub takes care of it.'
        : `Nothing to type: the hub sends it ${inUnit(gear.offsetMs, unit, at)} ${gear.offsetMs < 0 ? 'earlier' : 'later'}.`}
    </p>
  );
}

function OwnMenu({
  row: { gear, known, meetMs },
  rig,
  onPlace,
}: {
  row: AlignRow;
  rig: Rig;
  onPlace: (next: Partial<OffsetPlace>) => void;
}) {
  const { offset } = gear;
  const { sampleRate = 48_000 } = offset;
  const leads = rig.leaders[0] === gear.id;
  const typed = known && ownOffsetFor(offset, meetMs - known.lateMs, { sampleRate, bpm: rig.bpm });
  const unchanged = typed?.value === offset.own;
  return (
    <>
      <div className="flex flex-wrap items-center gap-2">
        <select
          aria-label={`What ${gear.name} counts in`}
          className="border border-rule px-1.5 py-1"
          value={offset.unit}
          onChange={({ target }) => onPlace({ unit: target.value as OffsetPlace['unit'] })}
        >
          <option>ms</option>
          <option>samples</option>
          <option>ticks</option>
        </select>
        {offset.unit === 'samples' && (
          <select
            aria-label={`Sample rate of ${gear.name}`}
            className="border border-rule px-1.5 py-1"
            value={sampleRate}
            onChange={({ target }) => onPlace({ sampleRate: Number(target.value) })}
          >
            {RATES.map((rate) => (
              <option key={rate} value={rate}>
                at {rate / 1000} kHz
              </option>
            ))}
          </select>
        )}
        <select
          aria-label={`What plus means in ${gear.name}`}
          className="border border-rule px-1.5 py-1"
          value={offset.plusIs}
          onChange={({ target }) => onPlace({ plusIs: target.value as OffsetPlace['plusIs'] })}
        >
          <option value="later">plus is later</option>
          <option value="earlier">plus is earlier</option>
        </select>
        <span className="text-soft">in steps of {offset.step || 'any size'}</span>
      </div>
      {typed ? (
        <>
          <p>
            {unchanged ? 'Leave' : 'Type'}{' '}
            <b className="text-[22px] leading-tight">
              {typed.value < 0 ? '−' : typed.value > 0 ? '+' : ''}
              {shown(Math.abs(typed.value))} {offset.unit}
            </b>{' '}
            <span className="text-soft">
              in its offset for {leads ? 'the clock it sends' : 'the clock it receives'}; {shown(offset.own)} stands
              there now.
              {gear.offsetMs !== 0 && ' The hub’s own offset goes back to none.'}
            </span>
          </p>
          <p className="text-soft">
            {Math.abs(typed.leftMs) >= 0.05
              ? `Its steps leave it ${lateInWords(typed.leftMs)}.`
              : 'That puts it in its place.'}
            {gear.kind === 'audioProgram' &&
              ' Its plugins’ delay is part of the number: where that changes, measure again.'}
          </p>
          {!unchanged && (
            <Button
              className="self-start"
              onClick={() => change(gear.id, (one) => ({ offsetMs: 0, offset: { ...one.offset, own: typed.value } }))}
            >
              I typed it in
            </Button>
          )}
        </>
      ) : (
        <p className="text-soft">Measure it first: then this card says what to type.</p>
      )}
    </>
  );
}

function shown(value: number): string {
  return String(Number(value.toFixed(3)));
}
