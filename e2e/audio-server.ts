import { execFileSync, spawn, type ChildProcess } from 'node:child_process';
import { mkdtempSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';

const PATIENCE_MS = 20_000;

export interface AudioServer {
  /** What a program needs to find it, and a screen. */
  environment: Record<string, string>;
  end(): void;
}

/**
 * A real audio server without hardware, and a screen without a monitor: what is played comes back on the input, as
 * through a loopback cable.
 */
export async function startAudioServer(): Promise<AudioServer> {
  const folder = mkdtempSync(join(tmpdir(), 'metronomo-audio-'));
  const socket = join(folder, 'native');
  const environment = { XDG_RUNTIME_DIR: folder, HOME: folder, PULSE_SERVER: `unix:${socket}` };
  const modules = [
    `module-native-protocol-unix socket=${socket} auth-anonymous=1`,
    'module-null-sink sink_name=studio rate=48000 channels=2',
    // Browsers don't offer monitors as inputs.
    'module-remap-source master=studio.monitor source_name=line',
  ];
  const options = ['-n', '--exit-idle-time=-1', '--use-pid-file=no', ...modules.flatMap((one) => ['-L', one])];
  const server = spawn('pulseaudio', options, { env: { ...process.env, ...environment }, stdio: 'ignore' });
  const screen = spawn('Xvfb', ['-displayfd', '1', '-screen', '0', '1280x900x24'], {
    stdio: ['ignore', 'pipe', 'ignore'],
  });
  const display = await displayOf(screen);
  await untilReady(environment);
  return {
    environment: { ...environment, DISPLAY: display },
    end() {
      server.kill();
      screen.kill();
    },
  };
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
