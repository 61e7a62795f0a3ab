import captureUrl from './capture.worklet.ts?worker&url';
import { audioEngine } from './engine';

/** Audio sources are named by this and the browser's own device id. */
export const AUDIO_PREFIX = 'audio:';

const CLOCK_EVERY_MS = 1000;
const MOST_CHANNELS = 8;

export class AudioInputError extends Error {
  override readonly name = 'AudioInputError';
}

export interface OpenAudioInput {
  label: string;
  channels: number;
  close(): void;
}

/** Everything that makes a voice clearer makes a measurement wrong. */
const UNTOUCHED = { echoCancellation: false, noiseSuppression: false, autoGainControl: false };

/**
 * Opens an audio input and lets its samples flow into `toMeasure`. `deviceId` empty means the system's own choice.
 * `onClock` is told again and again when, in ms of the window's clock, frame 0 was; `onLost` once if the device goes.
 * @throws AudioInputError in words for a musician.
 */
export async function openAudioInput(
  deviceId: string,
  toMeasure: MessagePort,
  { onClock, onLost }: { onClock: (frameZeroMs: number) => void; onLost: () => void },
): Promise<OpenAudioInput> {
  const { context, clock } = audioEngine();
  const stream = await askForInput(deviceId);
  const track = stream.getAudioTracks()[0];
  if (!track) throw new AudioInputError('The audio input has no channel. Choose another.');
  await context.resume();
  await context.audioWorklet.addModule(captureUrl);
  const source = new MediaStreamAudioSourceNode(context, { mediaStream: stream });
  const channels = Math.min(MOST_CHANNELS, track.getSettings().channelCount ?? source.channelCount);
  const capture = new AudioWorkletNode(context, 'capture', {
    numberOfInputs: 1,
    numberOfOutputs: 0,
    channelCount: channels,
    channelCountMode: 'explicit',
    channelInterpretation: 'discrete',
  });
  capture.port.postMessage({ kind: 'begin', port: toMeasure, channels }, [toMeasure]);
  source.connect(capture);
  track.addEventListener('ended', onLost);
  const tellClock = () => onClock(clock.msAt(0));
  tellClock();
  const timer = setInterval(tellClock, CLOCK_EVERY_MS);
  return {
    label: track.label || 'Audio input',
    channels,
    close() {
      clearInterval(timer);
      track.removeEventListener('ended', onLost);
      capture.port.postMessage({ kind: 'end' });
      source.disconnect();
      track.stop();
    },
  };
}

/** The inputs the browser shows; without permission they have no names yet. */
export async function listAudioInputs(): Promise<{ id: string; label: string }[]> {
  const devices = (await navigator.mediaDevices?.enumerateDevices?.()) ?? [];
  return devices
    .filter((device) => device.kind === 'audioinput')
    .map((device, i) => ({ id: device.deviceId, label: device.label || `Audio input ${i + 1}` }));
}

async function askForInput(deviceId: string): Promise<MediaStream> {
  if (!navigator.mediaDevices?.getUserMedia)
    throw new AudioInputError('This browser gives a page no audio input. Open Metronomo on localhost or over HTTPS.');
  const device = deviceId ? { deviceId: { exact: deviceId } } : {};
  try {
    return await navigator.mediaDevices.getUserMedia({
      audio: { ...UNTOUCHED, channelCount: { ideal: MOST_CHANNELS }, ...device },
    });
  } catch (error) {
    throw new AudioInputError(WORDS[error instanceof DOMException ? error.name : ''] ?? WORDS[''], { cause: error });
  }
}

const WORDS: Record<string, string> & { '': string } = {
  NotAllowedError:
    'The browser was not allowed to use the audio input. Allow the microphone for this page in the browser’s address bar, then open it again.',
  NotFoundError: 'No audio input was found. Connect the interface, then open it again.',
  OverconstrainedError: 'That audio input is not here any more. Choose another.',
  NotReadableError: 'The audio input is in use by another program. Close it there, then open it again.',
  '': 'The audio input could not be opened. Check that it is connected, then open it again.',
};
