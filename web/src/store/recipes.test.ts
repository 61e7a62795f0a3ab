import { lineCheck, planWires } from '@metronomo/core';
import { RECIPES } from './recipes';
import type { Rig } from './records';
import { planOf, setInputPort, setOutputPort } from './rig-plan';
import { checkRig } from './rig-schema';
import { ownRig as bare } from './rigs';

/** The recipe with a port on every socket, as the musician chooses them on the cards. */
function withAllPorts(rig: Rig): Rig {
  return rig.cables.reduce((done, { from, to }) => {
    const gearId = from.gearId === 'hub' ? to.gearId : from.gearId;
    const port = { id: `port of ${gearId}`, name: `Port of ${gearId}` };
    return from.gearId === 'hub' ? setOutputPort(done, gearId, port) : setInputPort(done, gearId, port);
  }, rig);
}

test('there are eight, and every one is a valid rig', () => {
  expect(RECIPES).toHaveLength(8);
  for (const { build } of RECIPES) expect(() => checkRig(build(bare))).not.toThrow();
});

test.each(RECIPES.map(({ name, build }) => [name, build] as const))(
  '%s: with a port on every socket, all gear is reached and nothing has to be fixed',
  (_, build) => {
    const rig = withAllPorts(build(bare));
    // The ports went to the sockets that were there.
    expect(rig.hubSockets).toHaveLength(build(bare).hubSockets.length);
    expect(rig.hubSockets.every(({ portId }) => typeof portId === 'string')).toBe(true);
    checkRig(rig);
    const leads = rig.leaders[0];
    expect(planWires(planOf(rig)).unreached.filter(({ gearId }) => gearId !== leads)).toEqual([]);
    for (const { id, portId, syncsTo } of rig.gear)
      if (id !== leads && syncsTo !== 'nothing') expect(portId).toBe(`port of ${id}`);
    expect(lineCheck(planOf(rig)).filter(({ severity }) => severity === 'wrong')).toEqual([]);
  },
);
