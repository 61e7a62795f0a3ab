import { readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import type { Page } from './browser';

const source = readFileSync(createRequire(__filename).resolve('axe-core/axe.min.js'), 'utf8');

/** What axe finds wrong with the page as it is now, one line each. */
export async function violations({ driver }: Page): Promise<string[]> {
  // Asked by the driver, which the page's own policy does not bind.
  await driver.executeScript(source);
  const found = await driver.executeAsyncScript<{ id: string; nodes: { html: string }[] }[]>(
    'const done = arguments[arguments.length - 1]; axe.run().then(({ violations }) => done(violations));',
  );
  return found.map(({ id, nodes }) => `${id}: ${nodes.map(({ html }) => html).join(' ')}`);
}
