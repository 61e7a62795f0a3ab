import { useEffect, useRef } from 'react';
import { useLocation, useNavigate } from 'react-router';
import { useShallow } from 'zustand/react/shallow';
import { useSession } from '../../studio/session';
import { obstacle, runTake, runUntilKnown, secondsOf, gearInTake } from '../../flow-effects/take-flow';
import { staysOnQuestion } from '../../studio/asked';
import { StaleRoundTrip, useCalibration } from './round-trip';
import { useTakeFlow } from '../../flow-effects/take-state';
import { barQuarters, useBarNow } from '../../studio/use-song-facts';
import { useTakeSettings, settingsOf, type PanelSettings } from './take-settings';
import { sharedInput, withAudioReturn, withAudio } from '../../store/gear';
import { Button } from '../../parts/button';
import { Field, Select } from '../../parts/field';
import type { Drive } from '../../store/records';
import { whole, decimal } from '../../words/numbers';

const LENGTHS = [4, 8, 16, 64, 256];
const KNOWN_WITHIN_MS = 0.5;

/** Settings of a take: which followers, how they come back, what they play and for how long. */
export function TakePanel() {
  const rig = useSession(({ rig }) => rig);
  const input = useSession(({ input }) => input);
  const busy = useTakeFlow(({ flow }) => flow.state !== 'idle');
  const rigId = rig?.id ?? '';
  const settings = useTakeSettings(useShallow((all) => settingsOf(all, rigId)));
  const { left, bars, drive, known, beatsBy } = settings;
  const set = (change: Partial<PanelSettings>) => useTakeSettings.setState({ [rigId]: { ...settings, ...change } });
  const calibration = useCalibration();
  const byCalibration = beatsBy === 'calibration';
  const chosen =
    settings.onChannel !== null && settings.onChannel < (input?.channels ?? 0) ? settings.onChannel : undefined;
  // One at a time on a shared input: devices without an audio return of their own can be measured too.
  const all = chosen === undefined ? withAudioReturn(rig?.gear ?? []) : withAudio(rig?.gear ?? []);
  const selected = all.filter(({ id }) => !left.includes(id));
  const gearIds = selected.map(({ id }) => id);
  const shared = sharedInput(selected);
  const onChannel = chosen ?? shared;
  const how = { byCalibration, inTurns: onChannel !== undefined };
  const why = rig ? obstacle(rig, gearInTake(rig, { gearIds, onChannel }), input, how) : null;
  const navigate = useNavigate();
  const take = async () => {
    const wanted = { gearIds, bars, drive, proof: false, byCalibration, onChannel };
    const stays = staysOnQuestion();
    const done = known ? await runUntilKnown(wanted, KNOWN_WITHIN_MS) : (await runTake(wanted)).result;
    if (done && stays()) await navigate(`/bench/${done.id}`);
  };
  useTakeKey(() => void take());
  const { bar, bpm } = useBarNow();
  const seconds = rig ? secondsOf({ gearIds, bars, onChannel }, bpm, barQuarters(bar)) : 0;
  return (
    <div className="flex flex-col gap-3">
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
            <span className="min-w-0 leading-tight wrap-anywhere">{name}</span>
          </label>
        ))}
        {all.length === 0 && <span className="col-span-2 text-soft">None in this rig yet</span>}
      </fieldset>
      <Field label="Audio returns">
        {(id) => (
          <Select
            id={id}
            value={onChannel ?? ''}
            onChange={({ target }) => set({ onChannel: target.value === '' ? null : Number(target.value) })}
          >
            <option value="" disabled={shared !== undefined}>
              All, separate inputs
            </option>
            {Array.from({ length: input?.channels ?? 0 }, (_, channel) => (
              <option key={channel} value={channel} disabled={!byCalibration && channel === rig?.input.clickChannel}>
                One at a time on input {channel + 1}
              </option>
            ))}
          </Select>
        )}
      </Field>
      {calibration && (
        <Field label="Beat reference">
          {(id) => (
            <Select
              id={id}
              value={beatsBy}
              onChange={({ target }) => set({ beatsBy: target.value as PanelSettings['beatsBy'] })}
            >
              <option value="click">Click input</option>
              <option value="calibration">Hub clock minus {decimal(calibration.roundTripMs, 1)} ms round trip</option>
            </Select>
          )}
        </Field>
      )}
      <StaleRoundTrip />
      <Field label="Test pattern">
        {(id) => (
          <Select id={id} value={drive} onChange={(event) => set({ drive: event.target.value as Drive })}>
            <option value="clock">Own patterns</option>
            <option value="notes">Notes from the hub</option>
          </Select>
        )}
      </Field>
      <Field
        label="Length"
        hint={`${bars * bar.beatsPerBar} beats per device, ${whole(seconds)} s plus one bar to settle`}
      >
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
        Repeat with longer takes until every result is within ±{KNOWN_WITHIN_MS} ms
      </label>
      {why && <p className="text-sm text-attention">{why}</p>}
      <Button tone="strong" className="justify-between" disabled={busy || why !== null} onClick={() => void take()}>
        Record take <span className="opacity-70">M</span>
      </Button>
    </div>
  );
}

/** `M` in any view navigates here with a request in the location state; each request starts one take. */
function useTakeKey(take: () => void): void {
  const { state } = useLocation() as { state: { take?: number } | null };
  const started = useRef<number | null>(null);
  const requested = state?.take ?? null;
  useEffect(() => {
    if (requested === null || started.current === requested || Date.now() - requested > 1000) return;
    started.current = requested;
    take();
  });
}
