import { execFileSync, spawn, type ChildProcess } from 'node:child_process';
import { mkdtempSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';

const PATIENCE_MS = 20_000;

export interface AudioServer {
  /** What a program needs to find it, and a screen. */
  environment: Record<string, string>;
  /** Plays a WAV file, as another program would; returns how to end it. */
  play(file: string): () => void;
  end(): void;
}

/**
 * A real audio server without hardware, and a screen without a monitor: what is played comes back on the input, as
 * through a loopback cable. With `delaySamples`, its left channel comes back on input 1, and so many samples later on
 * input 2.
 */
export async function startAudioServer(delaySamples: number | null = null): Promise<AudioServer> {
  const folder = mkdtempSync(join(tmpdir(), 'metronomo-audio-'));
  const socket = join(folder, 'native');
  const environment = { XDG_RUNTIME_DIR: folder, HOME: folder, PULSE_SERVER: `unix:${socket}` };
  const modules = [
    `module-native-protocol-unix socket=${socket} auth-anonymous=1`,
    'module-null-sink sink_name=studio rate=48000 channels=2',
    'module-null-sink sink_name=patch rate=48000 channels=2',
    // Browsers don't offer monitors as inputs.
    `module-remap-source master=${delaySamples === null ? 'studio' : 'patch'}.monitor source_name=line`,
  ];
  const options = ['-n', '--exit-idle-time=-1', '--use-pid-file=no', ...modules.flatMap((one) => ['-L', one])];
  const server = spawn('pulseaudio', options, { env: { ...process.env, ...environment }, stdio: 'ignore' });
  const screen = spawn('Xvfb', ['-displayfd', '1', '-screen', '0', '1280x900x24'], {
    stdio: ['ignore', 'pipe', 'ignore'],
  });
  const display = await displayOf(screen);
  await untilReady(environment);
  const cables = delaySamples === null ? [] : delayedCopy(delaySamples, { ...process.env, ...environment });
  return {
    environment: { ...environment, DISPLAY: display },
    play(file) {
      const player = spawn('paplay', ['--device=studio', file], {
        env: { ...process.env, ...environment },
        stdio: 'ignore',
      });
      cables.push(player);
      return () => void player.kill();
    },
    end() {
      for (const cable of cables) cable.kill();
      server.kill();
      screen.kill();
    },
  };
}

/** Both channels take the same way, so that whatever holds it up, they stay exactly that far apart. */
function delayedCopy(delaySamples: number, env: NodeJS.ProcessEnv): ChildProcess[] {
  const format = ['--raw', '--format=float32le', '--rate=48000', '--channels=2', '--latency-msec=20'];
  const from = spawn('parec', [...format, '-d', 'studio.monitor'], { env, stdio: ['ignore', 'pipe', 'ignore'] });
  const into = spawn('pacat', [...format, '-d', 'patch'], { env, stdio: ['pipe', 'ignore', 'ignore'] });
  const line = new Float32Array(delaySamples);
  let at = 0;
  let rest: Buffer = Buffer.alloc(0);
  from.stdout?.on('data', (piece: Buffer) => {
    const bytes = Buffer.concat([rest, piece]);
    const whole = bytes.length - (bytes.length % 8);
    for (let i = 0; i < whole; i += 8) {
      const left = bytes.readFloatLE(i);
      bytes.writeFloatLE(line[at] ?? 0, i + 4);
      line[at] = left;
      at = (at + 1) % delaySamples;
    }
    rest = bytes.subarray(whole);
    into.stdin?.write(bytes.subarray(0, whole));
  });
  into.stdin?.on('error', () => undefined); // Ended with the server.
  return [from, into];
}

/** The screen writes its number once it is ready. */
function displayOf(screen: ChildProcess): Promise<string> {
  return new Promise((resolve, reject) => {
    const late = setTimeout(() => reject(new Error('Xvfb did not start.')), PATIENCE_MS);
    screen.once('error', reject);
    screen.stdout?.once('data', (number: Buffer) => {
      clearTimeout(late);
      resolve(`:${number.toString().trim()}`);
    });
  });
}

async function untilReady(environment: Record<string, string>): Promise<void> {
  const env = { ...process.env, ...environment };
  for (const until = Date.now() + PATIENCE_MS; ;)
    try {
      execFileSync('pactl', ['set-default-sink', 'studio'], { env, stdio: 'ignore' });
      execFileSync('pactl', ['set-default-source', 'line'], { env, stdio: 'ignore' });
      return;
    } catch (error) {
      if (Date.now() > until) throw error;
      await new Promise((resolve) => setTimeout(resolve, 200));
    }
}
