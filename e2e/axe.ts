import { readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import type { Page } from './browser';

const source = readFileSync(createRequire(__filename).resolve('axe-core/axe.min.js'), 'utf8');

/** The page's axe violations, optionally for some rules only, one line each. */
export async function violations({ driver }: Page, rules?: string[]): Promise<string[]> {
  // Injected by the driver, which the page's content policy doesn't restrict.
  if (!(await driver.executeScript<boolean>('return Boolean(window.axe)'))) await driver.executeScript(source);
  const found = await driver.executeAsyncScript<{ id: string; nodes: { html: string }[] }[]>(
    `const [rules, done] = arguments;
     const options = { resultTypes: ['violations'], ...(rules && { runOnly: rules }) };
     axe.run(options).then(({ violations }) => done(violations));`,
    rules ?? null,
  );
  return found.map(({ id, nodes }) => `${id}: ${nodes.map(({ html }) => html).join(' ')}`);
}
