import { ownOffsetFor, type OffsetPlace } from '@metronomo/core';
import type { AlignRow, Plan } from '../../align/align-rows';
import { adviseOffsets } from '../../align/device-offsets';
import { wrongSign, type WrongSign } from '../../align/wrong-sign';
import { changeRig } from '../../studio/rig';
import { useTakes } from '../../studio/use-takes';
import { Button } from '../../parts/button';
import { inUnit, lateIn } from '../../parts/units';
import { latenessText, offsetText } from '../../parts/words';
import type { Gear, Rig, Take } from '../../store/records';
import { useAlignLook, useUnitAt } from './look';
import { MoreOffsets } from './more-offsets';
import { shown, valueText } from './own-offset-words';

const RATES = [44_100, 48_000, 88_200, 96_000];

/** Where each offset is set: in the hub, or on the device with the value to enter there. */
export function DeviceOffsetsPanel({ plan, rig }: { plan: Plan; rig: Rig }) {
  const takes = useTakes();
  return (
    <div className="flex flex-col gap-4 px-5 py-4">
      <p className="max-w-prose text-sm text-soft">
        The hub can shift each follower’s sync earlier or later right away. Devices and apps with an offset setting of
        their own can hold the offset instead, and stay in time even without the hub. Use one or the other. Only on a
        shared wire, use the device’s to correct what the wire’s offset leaves.
      </p>
      <ul className="grid grid-cols-1 items-start gap-4 md:grid-cols-2 xl:grid-cols-3">
        {plan.rows
          .toSorted((a, b) => Number(b.gear.offset.where === 'own') - Number(a.gear.offset.where === 'own'))
          .map((row) => (
            <Card key={row.gear.id} row={row} rig={rig} takes={takes} />
          ))}
      </ul>
    </div>
  );
}

function change(id: string, next: (gear: Gear) => Partial<Gear>): void {
  void changeRig((rig) => ({ ...rig, gear: rig.gear.map((one) => (one.id === id ? { ...one, ...next(one) } : one)) }));
}

function Card({ row, rig, takes }: { row: AlignRow; rig: Rig; takes: readonly Take[] }) {
  const { gear, byNotes, known } = row;
  const wrong = wrongSign(takes, gear);
  const unit = useAlignLook(({ unit }) => unit);
  const at = useUnitAt();
  const { offset } = gear;
  const place = (next: Partial<OffsetPlace>) => change(gear.id, (one) => ({ offset: { ...one.offset, ...next } }));
  const twice = offset.own !== 0 && gear.offsetMs !== 0 && row.isAlone;
  return (
    <li className="flex flex-col gap-2 border border-ink bg-raised p-3 text-sm">
      <div className="flex items-center gap-2">
        <b className="flex-1 truncate text-base">{gear.name}</b>
        <select
          aria-label={`Offset location for ${gear.name}`}
          className="border border-rule px-1.5 py-1"
          value={offset.where}
          onChange={({ target }) => place({ where: target.value as OffsetPlace['where'] })}
        >
          <option value="hub">In the hub</option>
          <option value="own">In the device</option>
        </select>
      </div>
      {offset.where === 'hub' && <InHub row={row} />}
      {offset.where === 'own' && (
        <>
          {/* The value to enter depends on the sign, so it isn’t shown until that is settled. */}
          {wrong ? (
            <TheOtherWay
              wrong={wrong}
              plusIs={offset.plusIs}
              onTurn={() => place({ plusIs: offset.plusIs === 'later' ? 'earlier' : 'later' })}
            />
          ) : (
            <ValueToEnter row={row} rig={rig} />
          )}
          <OwnSettings gear={gear} onPlace={place} />
        </>
      )}
      {twice && (
        <p className="text-attention">
          <b>Compensated twice.</b> The device is set to {offset.own} {offset.unit}, and the hub also sends{' '}
          {inUnit(gear.offsetMs, unit, at)} {gear.offsetMs < 0 ? 'earlier' : 'later'}.{' '}
          <button
            type="button"
            className="underline underline-offset-2"
            onClick={() => change(gear.id, () => ({ offsetMs: 0 }))}
          >
            Clear hub offset
          </button>
        </p>
      )}
      {known && byNotes && (
        <p className="text-soft">
          Own pattern: {lateIn(known.lateMs, unit, at)}. Notes from the hub: {lateIn(byNotes.lateMs, unit, at)}. If the
          device has an offset for each, set them separately.
        </p>
      )}
      <MoreOffsets
        gear={gear}
        rig={rig}
        advice={adviseOffsets(row, rig, takes)}
        onChange={(next) => change(gear.id, next)}
      />
    </li>
  );
}

/** The device’s plus and minus act the other way round than they are set here. */
function TheOtherWay({
  wrong: { lateMs, movedMs, expectedMs },
  plusIs,
  onTurn,
}: {
  wrong: WrongSign;
  plusIs: OffsetPlace['plusIs'];
  onTurn: () => void;
}) {
  return (
    <p className="text-attention" role="alert">
      <b>Wrong sign.</b> It is now {latenessText(lateMs)}: it plays {offsetText(movedMs)}, not {offsetText(expectedMs)}.
      Either it was entered with the other sign, or + is {plusIs === 'later' ? 'earlier' : 'later'} on this device.{' '}
      <button type="button" className="underline underline-offset-2" onClick={onTurn}>
        + is {plusIs === 'later' ? 'earlier' : 'later'}
      </button>
    </p>
  );
}

function InHub({ row: { gear } }: { row: AlignRow }) {
  const unit = useAlignLook(({ unit }) => unit);
  const at = useUnitAt();
  return (
    <p className="text-soft">
      {gear.offsetMs === 0
        ? 'Nothing to enter: the hub compensates.'
        : `Nothing to enter: the hub sends ${inUnit(gear.offsetMs, unit, at)} ${gear.offsetMs < 0 ? 'earlier' : 'later'}.`}
    </p>
  );
}

function ValueToEnter({ row: { gear, known, meetMs, hubMs, isAlone }, rig }: { row: AlignRow; rig: Rig }) {
  const { offset } = gear;
  const { sampleRate = 48_000 } = offset;
  const leads = rig.leaders[0] === gear.id;
  const sync = (leads ? gear.leadsWith : gear.syncsTo) === 'timecode' ? 'timecode' : 'clock';
  const unitShown = useAlignLook(({ unit }) => unit);
  const at = useUnitAt();
  const toEnter = known && ownOffsetFor(offset, meetMs - known.lateMs - hubMs, { sampleRate, bpm: rig.bpm });
  const unchanged = toEnter?.value === offset.own;
  if (!toEnter) return <p className="text-soft">Not measured yet. Measure the device to see what to enter.</p>;
  return (
    <>
      <p>
        {unchanged ? 'Keep' : 'Enter'}{' '}
        <b className="text-[22px] leading-tight">{valueText(toEnter.value, offset.unit)}</b>{' '}
        <span className="text-soft">
          as the device’s offset for {leads ? 'outgoing' : 'incoming'} {sync}. Currently {shown(offset.own)}.
          {gear.offsetMs !== 0 && isAlone && ' The hub’s offset will be cleared.'}
          {!isAlone &&
            hubMs !== 0 &&
            ` Its wire is shared: everyone on it is sent ${inUnit(hubMs, unitShown, at)} ${hubMs < 0 ? 'earlier' : 'later'}.`}
        </span>
      </p>
      <p className="text-soft">
        {Math.abs(toEnter.leftMs) >= 0.05
          ? `The device’s step size leaves it ${latenessText(toEnter.leftMs)}.`
          : 'This puts it in time.'}
        {gear.kind === 'audioProgram' && ' Includes plugin latency; if that changes, measure again.'}
      </p>
      {!unchanged && (
        <Button
          className="self-start"
          onClick={() =>
            change(gear.id, (one) => ({
              ...(isAlone && { offsetMs: 0 }),
              offset: { ...one.offset, own: toEnter.value },
            }))
          }
        >
          Entered
        </Button>
      )}
    </>
  );
}

function OwnSettings({ gear, onPlace }: { gear: Gear; onPlace: (next: Partial<OffsetPlace>) => void }) {
  const { offset } = gear;
  const { sampleRate = 48_000 } = offset;
  return (
    <>
      <p className="text-xs text-soft">Device settings</p>
      <div className="flex flex-wrap items-center gap-2">
        <select
          aria-label={`Offset unit of ${gear.name}`}
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
                {rate / 1000} kHz
              </option>
            ))}
          </select>
        )}
        <select
          aria-label={`Offset sign of ${gear.name}`}
          className="border border-rule px-1.5 py-1"
          value={offset.plusIs}
          onChange={({ target }) => onPlace({ plusIs: target.value as OffsetPlace['plusIs'] })}
        >
          <option value="later">+ is later</option>
          <option value="earlier">+ is earlier</option>
        </select>
        <span className="text-soft">step: {offset.step || 'any'}</span>
      </div>
    </>
  );
}
