import { BEATS_PER_BAR } from '@metronomo/core';
import { useEffect, useRef, useState } from 'react';
import { useLocation, useNavigate } from 'react-router';
import { useSession } from '../../hub/session';
import { obstacle, runTake, useTakeFlow } from '../../measure/take-flow';
import { heardOf } from '../../store/gear';
import { Button } from '../../parts/button';
import { Field, Select } from '../../parts/field';
import type { Drive } from '../../store/records';

const LENGTHS = [4, 8, 16];

/** Which followers, how long, and how they are made to sound. */
export function TakePanel() {
  const rig = useSession(({ rig }) => rig);
  const input = useSession(({ input }) => input);
  const busy = useTakeFlow(({ flow }) => flow.state !== 'idle');
  const [left, setLeft] = useState<string[]>([]);
  const [bars, setBars] = useState(8);
  const [drive, setDrive] = useState<Drive>('clock');
  const all = heardOf(rig?.gear ?? []);
  const gear = all.filter(({ id }) => !left.includes(id));
  const why = rig ? obstacle(rig, gear, input) : null;
  const navigate = useNavigate();
  const take = () =>
    void runTake({ gearIds: gear.map(({ id }) => id), bars, drive, proof: false }).then(
      (done) => done && navigate(`/bench/${done.id}`),
    );
  useTakeKey(take);
  const seconds = rig ? (bars * BEATS_PER_BAR * 60) / rig.bpm : 0;
  return (
    <div className="flex flex-col gap-4">
      <fieldset className="flex flex-col gap-1 text-sm">
        <legend className="mb-1 text-xs text-soft">Followers</legend>
        {all.map(({ id, name }) => (
          <label key={id} className="flex items-center gap-2">
            <input
              type="checkbox"
              className="accent-[var(--ink)]"
              checked={!left.includes(id)}
              onChange={() => setLeft(left.includes(id) ? left.filter((other) => other !== id) : [...left, id])}
            />
            {name}
          </label>
        ))}
        {all.length === 0 && <span className="text-soft">none in this rig yet</span>}
      </fieldset>
      <Field label="They play">
        {(id) => (
          <Select id={id} value={drive} onChange={(event) => setDrive(event.target.value as Drive)}>
            <option value="clock">their own pattern</option>
            <option value="notes">notes from the hub</option>
          </Select>
        )}
      </Field>
      <Field label="Length" hint={`${bars * BEATS_PER_BAR} beats, ${seconds.toFixed(0)} s and a bar to settle`}>
        {(id) => (
          <Select id={id} value={bars} onChange={(event) => setBars(Number(event.target.value))}>
            {LENGTHS.map((length) => (
              <option key={length} value={length}>
                {length} bars
              </option>
            ))}
          </Select>
        )}
      </Field>
      <Button tone="strong" className="justify-between" disabled={busy || why !== null} onClick={take}>
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
