import { existsSync, statSync } from 'node:fs';
import { run } from './run.mjs';

/** Installs the packages if they are missing or older than the lock file. */
export async function ensureInstall() {
  const stamp = 'node_modules/.package-lock.json';
  const fresh = existsSync(stamp) && statSync(stamp).mtimeMs >= statSync('package-lock.json').mtimeMs;
  if (fresh) return;
  console.log('Installing packages ...');
  const code = await run('npm', ['ci', '--no-fund', '--no-audit', '--loglevel=error']);
  if (code !== 0) {
    console.error('npm ci failed: the packages could not be installed.');
    process.exit(code);
  }
}

await ensureInstall();
