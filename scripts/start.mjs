import { existsSync } from 'node:fs';
import { spawn } from 'node:child_process';
import './ensure-install.mjs';
import { run } from './run.mjs';

// Opens the browser; `npm start -- --no-open` doesn't.
const isBuilt = ['web/dist/index.html', 'server/dist/main.js'].every((file) => existsSync(file));
const built = isBuilt ? 0 : await run('npm', ['run', '--silent', 'build']);
if (built !== 0) process.exit(built);
const server = spawn('node', ['server/dist/main.js', '--open', ...process.argv.slice(2)], { stdio: 'inherit' });
for (const signal of ['SIGINT', 'SIGTERM']) process.once(signal, () => server.kill(signal));
server.once('exit', (code) => process.exit(code ?? 0));
