import { spawn } from 'node:child_process';
import './ensure-install.mjs';
import { run } from './run.mjs';

const [major, minor] = process.versions.node.split('.').map(Number);
if (major < 20 || (major === 20 && minor < 19)) {
  console.error(`Metronomo needs Node 20.19 or newer; this is ${process.versions.node}.`);
  process.exit(1);
}
const built = await run('npm', ['run', '--silent', 'build']);
if (built !== 0) process.exit(built);

const port = process.env.PORT ?? '4180';
const server = spawn('node', ['server/dist/main.js'], {
  stdio: 'inherit',
  env: { NETWORK_STANDIN: 'on', ...process.env, PORT: port, LOG_LEVEL: process.env.LOG_LEVEL ?? 'warn' },
});
console.log(`\n  Metronomo, with the Boathouse demo:  http://127.0.0.1:${port}\n  Stop it with Ctrl+C.\n`);
for (const signal of ['SIGINT', 'SIGTERM']) process.once(signal, () => server.kill(signal));
server.once('exit', (code) => process.exit(code ?? 0));
