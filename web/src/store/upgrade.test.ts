import 'fake-indexeddb/auto';
import { Database } from './database';
import { asItWas } from './fixtures/as-it-was';
import { moveDemoOut } from './move-demo-out';
import { clockTakeSchema, offsetSetSchema, takeSchema } from './record-schemas';
import { rigSchema } from './rig-schema';

describe.each([4, 6] as const)('data stored by version %s', (version) => {
  test('is upgraded without loss, and valid under today’s rules', async () => {
    const kept = await asItWas(`upgrade ${version}`, version);
    const now = new Database(`upgrade ${version}`);
    for (const table of ['takes', 'sound', 'clockTakes', 'ticks', 'rigs'])
      expect(await now.table(table).count()).toBe(kept[table]!.length);
    const strictly = { strict: true };
    for (const rig of await now.rigs.toArray()) rigSchema.validateSync(rig, strictly);
    for (const take of await now.takes.toArray()) takeSchema.validateSync(take, strictly);
    for (const take of await now.clockTakes.toArray()) clockTakeSchema.validateSync(take, strictly);
    for (const set of await now.offsetSets.toArray()) offsetSetSchema.validateSync(set, strictly);
    // Measurements survive the upgrade unchanged.
    const reports = (takes: unknown[]) =>
      (takes as { lines: { report: unknown }[] }[]).map(({ lines }) => lines.map(({ report }) => report));
    expect(reports(await now.takes.toArray())).toEqual(reports(kept['takes']!));
    now.close();
  });

  test('is found by kind and by device', async () => {
    await asItWas(`indexes ${version}`, version);
    const now = new Database(`indexes ${version}`);
    expect(await now.takes.where('gearIds').equals('porch').count()).toBe(1);
    expect(
      await now.takes.where('[rigId+kind+startedAt]').between(['boathouse', 'take'], ['boathouse', 'taks']).count(),
    ).toBe(1);
    expect(await now.clockTakes.where('gearIds').equals('vole').count()).toBe(1);
    now.close();
  });

  test('all of the demo’s data leaves your own, and nothing else does', async () => {
    await asItWas(`mixed ${version}`, version);
    const own = new Database(`mixed ${version}`);
    const mine = { ...(await own.takes.toCollection().first())!, id: 'mine', rigId: 'own' };
    await own.takes.add(mine);
    await own.sound.add({ takeId: 'mine', index: 0, channels: [Float32Array.of(0.5)] });
    const before = await Promise.all(own.tables.map((table) => table.count()));
    const demo = new Database(`mixed ${version} demo`);
    await moveDemoOut(own, demo);
    expect(await own.takes.toArray()).toEqual([mine]);
    expect((await own.rigs.toArray()).map(({ id }) => id)).toEqual(['own']);
    expect([await own.sound.count(), await own.ticks.count(), await own.clockTakes.count()]).toEqual([1, 0, 0]);
    expect((await demo.rigs.toArray()).map(({ id }) => id)).toEqual(['boathouse']);
    const after = await Promise.all(
      own.tables.map(async (table) => (await table.count()) + (await demo.table(table.name).count())),
    );
    expect(after).toEqual(before);
    own.close();
    demo.close();
  });
});

test('a migration interrupted by closing the tab continues next time', async () => {
  await asItWas('cut off', 6);
  const own = new Database('cut off');
  const demo = new Database('cut off demo');
  const table = demo.table.bind(demo);
  let fails = true;
  jest.spyOn(demo, 'table').mockImplementation(((name: string) => {
    if (name === 'clockTakes' && fails) throw new Error('closed');
    return table(name);
  }) as typeof demo.table);
  await expect(moveDemoOut(own, demo)).rejects.toThrow('closed');
  expect(await own.rigs.get('boathouse')).toBeDefined();
  fails = false;
  await moveDemoOut(own, demo);
  expect([await own.takes.count(), await own.clockTakes.count(), await own.ticks.count()]).toEqual([0, 0, 0]);
  expect([await demo.takes.count(), await demo.clockTakes.count()]).toEqual([2, 1]);
});
