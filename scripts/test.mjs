import { existsSync, mkdtempSync, readFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import './ensure-install.mjs';
import { run } from './run.mjs';

const results = mkdtempSync(join(tmpdir(), 'metronomo-test-'));
let passed = 0;
let failed = 0;
const slowest = [];
const SLOWEST_TOLD = 20;

const secondsSince = (startedAt) => ((Date.now() - startedAt) / 1000).toFixed(0);

/** A step that counts as one test. */
async function step(name, command, args) {
  const startedAt = Date.now();
  const code = await run(command, args);
  console.log(`${code === 0 ? 'ok  ' : 'FAIL'} ${name} (${secondsSince(startedAt)} s)`);
  if (code === 0) passed++;
  else failed++;
  return code === 0;
}

/** A Jest run whose tests are all counted. */
async function jest(name, args) {
  for (const file of await jestFiles(name, args)) count(file);
}

function count(file) {
  passed += file.passed;
  failed += file.failed;
}

/** What came of each test file; one that died, or the whole run if it left no result, counts as a failure. */
async function jestFiles(name, args) {
  const startedAt = Date.now();
  const output = join(results, `${name.replaceAll(/\W/g, '-')}.json`);
  const code = await run('npx', ['jest', ...args, '--json', `--outputFile=${output}`], {
    stdio: ['ignore', 'ignore', 'inherit'],
  });
  const { testResults = [] } = existsSync(output) ? JSON.parse(readFileSync(output, 'utf8')) : {};
  slowest.push(...testResults.flatMap(({ assertionResults }) => assertionResults));
  const files = testResults.map((file) => {
    const tests = (status) => file.assertionResults.filter((test) => test.status === status).length;
    const died = file.status === 'failed' && tests('failed') === 0;
    return { name: file.name, passed: tests('passed'), failed: tests('failed') + (died ? 1 : 0) };
  });
  if (code !== 0 && files.every((file) => file.failed === 0)) files.push({ name, passed: 0, failed: 1 });
  const all = files.reduce((sum, file) => sum + file.passed, 0);
  console.log(`${code === 0 ? 'ok  ' : 'FAIL'} ${name}: ${all} passed (${secondsSince(startedAt)} s)`);
  return files;
}

/**
 * Chromium drives the app; tshark dissects the network tests' packets; an audio server and a screen without hardware
 * give it real audio; a synthesizer with a sound font plays instruments to measure.
 */
async function ensureTools() {
  const programs = ['chromium', 'chromedriver', 'tshark', 'pulseaudio', 'pactl', 'Xvfb', 'fluidsynth'];
  const files = [...programs.map((name) => `/usr/bin/${name}`), '/usr/share/sounds/sf2/FluidR3_GM.sf2'];
  const missing = files.filter((file) => !existsSync(file));
  if (missing.length === 0) return true;
  console.log(`Installing from Debian, for these are missing: ${missing.join(', ')} ...`);
  const sudo = process.getuid?.() === 0 ? [] : ['sudo'];
  const apt = (...args) =>
    run([...sudo, 'apt-get'][0], [...sudo.slice(1), ...(sudo.length ? ['apt-get'] : []), ...args], {
      stdio: ['ignore', 'ignore', 'inherit'],
      env: { ...process.env, DEBIAN_FRONTEND: 'noninteractive' },
    });
  await apt('update', '-q');
  const browsers = ['chromium', 'chromium-driver', 'tshark'];
  const sound = ['pulseaudio', 'pulseaudio-utils', 'xvfb', 'fluidsynth', 'fluid-soundfont-gm'];
  const packages = [...browsers, ...sound];
  return (await apt('install', '-y', '-q', '--no-install-recommends', ...packages)) === 0;
}

/** At the lowest priority, beside other work. */
const readInTheBackground = async () => {
  for (const [name, check] of [
    ['types', 'check:types'],
    ['lint', 'check:lint'],
    ['import rules', 'check:arrows'],
    ['dead code', 'check:dead'],
    ['spelling', 'check:spelling'],
    ['format', 'check:format'],
  ])
    await step(name, 'nice', ['-n', '19', 'npm', 'run', '-s', check]);
};
const browser = (name, files) =>
  jestFiles(`browser ${name}`, [
    ...['--selectProjects', 'e2e', '--runInBand'],
    ...['--testPathPatterns', `e2e/(${files})\\.test`],
  ]);
/** Two lanes that measure no time, two whose times bear a busy machine, and what needs all of it. */
const LANES = [
  ['rig|recording|sound-font|trial', 'workers|set-up|panels'],
  ['run|live|network', 'demo|bench'],
  ['real-audio|real-input|dissected'],
];

/**
 * A shared machine may stand still for longer than any test can wait. So the files of a lane in which a test failed are
 * run once more, with nothing beside them, and only that counts. Returns their names.
 */
async function browserLane(lane) {
  const files = await browser(lane, lane);
  for (const file of files) if (file.failed === 0) count(file);
  return files.filter((file) => file.failed > 0).map(({ name }) => /e2e.(.+)\.test/.exec(name)?.[1] ?? lane);
}
async function onceMoreAlone(file) {
  for (const counted of await browser(`${file}, once more and alone`, file)) count(counted);
}

// A browser test mostly waits and uses little more than one of two cores. The static checks run meanwhile at the lowest
// priority, beside those tests that measure no time.
const toolsAreHere = ensureTools();
const built = await step('build', 'npm', ['run', '-s', 'build']);
await jest('unit', ['--selectProjects', 'core', 'server', 'web', '--maxWorkers=2']);
const tools = await step('tools are here', 'node', ['-e', `process.exit(${(await toolsAreHere) ? 0 : 1})`]);
await step('attack', 'npm', ['run', '-s', 'attack', '--', '--count', '3000']);
const reading = readInTheBackground();
if (built && tools) {
  const again = [];
  for (const lanes of LANES) {
    again.push(...(await Promise.all(lanes.map(browserLane))).flat());
    await reading;
  }
  for (const file of again) await onceMoreAlone(file);
}
await reading;

slowest.sort((a, b) => (b.duration ?? 0) - (a.duration ?? 0));
for (const { duration, fullName } of slowest.slice(0, SLOWEST_TOLD))
  console.log(`${((duration ?? 0) / 1000).toFixed(0).padStart(4)} s  ${fullName}`);
console.log(`${passed} passed, ${failed} failed`);
process.exit(failed === 0 ? 0 : 1);
