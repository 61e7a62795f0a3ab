import { useSetUp } from '../../flow-effects/set-up-flow';
import type { Rig } from '../../store/records';
import { useCalibration } from '../bench/round-trip';
import { decimal } from '../../words/numbers';

/** Whether the input of the hub’s click is known: it was heard there now, or for a round trip before. */
export function useClickFound(): boolean {
  const click = useSetUp(({ click }) => click);
  const calibration = useCalibration();
  return typeof click === 'object' || Boolean(calibration);
}

/** What the set-up knows: outputs, devices, and the inputs they come back on. */
export function FoundSoFar({ rig, currentId }: { rig: Rig; currentId: string | null }) {
  const calibration = useCalibration();
  const clickFound = useClickFound();
  const outOf = ({ portId }: Rig['gear'][number]) =>
    rig.hubSockets.find((socket) => socket.portId === portId && socket.direction === 'out')?.label ?? '—';
  const inOf = (id: string) => {
    const cable = rig.cables.find(({ from, to }) => from.gearId === id && to.gearId === 'hub');
    return rig.hubSockets.find((socket) => socket.id === cable?.to.socketId)?.label ?? null;
  };
  return (
    <section aria-labelledby="found">
      <h2 id="found" className="mb-3 text-sm text-soft">
        Found so far
      </h2>
      <table className="w-full text-sm">
        <thead className="text-left text-xs text-soft">
          <tr>
            {['Output', 'Device', 'Comes in on'].map((title) => (
              <th key={title} className="ruled-b pr-3 pb-1 font-normal">
                {title}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          <tr>
            <td className="ruled-b py-2 pr-3 text-soft">audio output</td>
            <td className="ruled-b py-2 pr-3">
              <b className="block">Hub click</b>
              {calibration && (
                <span className="text-xs text-soft">round trip {decimal(calibration.roundTripMs, 1)} ms</span>
              )}
            </td>
            <td className="ruled-b py-2 text-audio">{clickFound ? `input ${rig.input.clickChannel + 1}` : '—'}</td>
          </tr>
          {rig.gear.map((gear) => (
            <tr key={gear.id} aria-current={gear.id === currentId ? 'step' : undefined}>
              <td className="ruled-b py-2 pr-3 text-clock">{gear.portId === null ? '—' : outOf(gear)}</td>
              <td className="ruled-b py-2 pr-3">
                <b className="block">{gear.name}</b>
                {inOf(gear.id) && <span className="text-xs text-soft">sends on {inOf(gear.id)}</span>}
              </td>
              <td className="ruled-b py-2 text-audio">
                {gear.returnChannel === null ? '—' : `input ${gear.returnChannel + 1}`}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}
