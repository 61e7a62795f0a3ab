import { stepMs } from '@metronomo/core';
import { changeRig } from '../../studio/rig';
import { useSession } from '../../studio/session';
import type { Gear } from '../../store/records';
import { decimal } from '../../words/numbers';
import { NumberInput } from '../../parts/number-input';

/** How long a device fades between two steps, and which of its triggers are too fast for it. */
export function FadeField({ gear }: { gear: Gear }) {
  const { id, name, fadeMs = 0, triggers } = gear;
  const bpm = useSession(({ snapshot }) => Math.round(10 * snapshot.bpm) / 10);
  const save = (ms: number) =>
    void changeRig((before) => ({
      ...before,
      gear: before.gear.map((one) => (one.id === id ? { ...one, fadeMs: ms } : one)),
    }));
  const steps = triggers.filter(({ off = false }) => !off).map((trigger) => stepMs(withoutSections(trigger), bpm));
  const shortest = Math.min(...steps);
  return (
    <div className="flex flex-wrap items-center gap-x-3 gap-y-1">
      <label className="inline-flex items-center gap-1.5">
        Fade time of {name}
        <NumberInput name={`Fade time of ${name}, ms`} value={fadeMs} least={0} most={60_000} onSave={save} /> ms
      </label>
      {fadeMs > shortest && (
        <span role="status" className="text-attention">
          A fade of {decimal(fadeMs / 1000, 2)} s is longer than its fastest step at {decimal(bpm, 1)} BPM (
          {decimal(shortest / 1000, 2)} s), so the fades never finish. Choose a slower rate.
        </span>
      )}
    </div>
  );
}

function withoutSections({ every, sends, slowsBelowBpm }: Gear['triggers'][number]) {
  return { every, sends, ...(slowsBelowBpm !== undefined && { slowsBelowBpm }) };
}
