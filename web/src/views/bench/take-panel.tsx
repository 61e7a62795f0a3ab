import { BEATS_PER_BAR } from '@metronomo/core';
import { useLiveQuery } from 'dexie-react-hooks';
import { useEffect, useRef } from 'react';
import { useLocation, useNavigate } from 'react-router';
import { useShallow } from 'zustand/react/shallow';
import { useSession } from '../../hub/session';
import { obstacle, runTake, runUntilKnown, secondsOf, takenGear } from '../../measure/take-flow';
import { useTakeFlow } from '../../measure/take-parts';
import { findCalibration } from '../../store/calibrations';
import { useTakeSettings, settingsOf, type PanelSettings } from './take-settings';
import { heardOf, playersOf } from '../../store/gear';
import { Button } from '../../parts/button';
import { Field, Select } from '../../parts/field';
import type { Drive } from '../../store/records';

const LENGTHS = [4, 8, 16, 64, 256];
const KNOWN_WITHIN_MS = 0.5;

/** Which followers, how long, and how they are made to sound. */
export function TakePanel() {
  const rig = useSession(({ rig }) => rig);
  const input = useSession(({ input }) => input);
  const busy = useTakeFlow(({ flow }) => flow.state !== 'idle');
  const rigId = rig?.id ?? '';
  const settings = useTakeSettings(useShallow((all) => settingsOf(all, rigId)));
  const { left, bars, drive, known, beatsBy } = settings;
  const set = (change: Partial<PanelSettings>) => useTakeSettings.setState({ [rigId]: { ...settings, ...change } });
  const calibration = useLiveQuery(() => findCalibration(input?.label ?? ''), [input?.label]);
  const byCalibration = beatsBy === 'calibration';
  const onChannel =
    settings.onChannel !== null && settings.onChannel < (input?.channels ?? 0) ? settings.onChannel : undefined;
  // On one input everybody can be heard whose turn it is, also who has none of its own.
  const all = onChannel === undefined ? heardOf(rig?.gear ?? []) : playersOf(rig?.gear ?? []);
  const gearIds = all.flatMap(({ id }) => (left.includes(id) ? [] : [id]));
  const why = rig ? obstacle(rig, takenGear(rig, { gearIds, onChannel }), input, byCalibration) : null;
  const navigate = useNavigate();
  const take = async () => {
    const wanted = { gearIds, bars, drive, proof: false, byCalibration, onChannel };
    const { take: done, short } = known
      ? await runUntilKnown(wanted, KNOWN_WITHIN_MS)
      : { take: await runTake(wanted), short: null };
    if (done) await navigate(`/bench/${done.id}`);
    if (short !== null) useTakeFlow.setState({ flow: { state: 'idle', problem: short } });
  };
  useTakeKey(() => void take());
  const seconds = rig ? secondsOf({ gearIds, bars, onChannel }, rig.bpm) : 0;
  return (
    <div className="flex flex-col gap-4">
      <fieldset className="grid grid-cols-2 gap-x-2 gap-y-1 text-xs">
        <legend className="mb-1 text-soft">Followers</legend>
        {all.map(({ id, name }) => (
          <label key={id} className="flex min-w-0 items-center gap-1.5" title={name}>
            <input
              type="checkbox"
              className="accent-[var(--ink)]"
              checked={!left.includes(id)}
              onChange={() => set({ left: left.includes(id) ? left.filter((other) => other !== id) : [...left, id] })}
            />
            <span className="truncate">{name}</span>
          </label>
        ))}
        {all.length === 0 && <span className="text-soft">none in this rig yet</span>}
      </fieldset>
      <Field label="They play">
        {(id) => (
          <Select id={id} value={drive} onChange={(event) => set({ drive: event.target.value as Drive })}>
            <option value="clock">their own pattern</option>
            <option value="notes">notes from the hub</option>
          </Select>
        )}
      </Field>
      <Field label="Heard">
        {(id) => (
          <Select
            id={id}
            value={onChannel ?? ''}
            onChange={({ target }) => set({ onChannel: target.value === '' ? null : Number(target.value) })}
          >
            <option value="">all at once, each on its input</option>
            {Array.from({ length: input?.channels ?? 0 }, (_, channel) => (
              <option key={channel} value={channel} disabled={!byCalibration && channel === rig?.input.clickChannel}>
                in turn, all on input {channel + 1}
              </option>
            ))}
          </Select>
        )}
      </Field>
      <Field label="Length" hint={`${bars * BEATS_PER_BAR} beats each, ${seconds.toFixed(0)} s and a bar to settle`}>
        {(id) => (
          <Select id={id} value={bars} onChange={(event) => set({ bars: Number(event.target.value) })}>
            {LENGTHS.map((length) => (
              <option key={length} value={length}>
                {length} bars
              </option>
            ))}
          </Select>
        )}
      </Field>
      <label className="flex items-start gap-2 text-sm">
        <input
          type="checkbox"
          className="mt-1 accent-[var(--ink)]"
          checked={known}
          onChange={() => set({ known: !known })}
        />
        again and longer until each is known to ±{KNOWN_WITHIN_MS} ms
      </label>
      {calibration && (
        <Field label="Beats">
          {(id) => (
            <Select
              id={id}
              value={beatsBy}
              onChange={({ target }) => set({ beatsBy: target.value as PanelSettings['beatsBy'] })}
            >
              <option value="click">the click on its input</option>
              <option value="calibration">
                the hub’s time, less {calibration.roundTripMs.toFixed(1)} ms of audio path
              </option>
            </Select>
          )}
        </Field>
      )}
      <Button tone="strong" className="justify-between" disabled={busy || why !== null} onClick={() => void take()}>
        Take <span className="opacity-70">M</span>
      </Button>
      {why && <p className="text-sm text-attention">{why}</p>}
    </div>
  );
}

/** `M` anywhere comes here with a wish for a take in its state; each wish is granted once. */
function useTakeKey(take: () => void): void {
  const { state } = useLocation() as { state: { take?: number } | null };
  const granted = useRef<number | null>(null);
  const wish = state?.take ?? null;
  useEffect(() => {
    if (wish === null || granted.current === wish || Date.now() - wish > 1000) return;
    granted.current = wish;
    take();
  });
}
