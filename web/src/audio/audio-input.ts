import type { AudioClock } from './audio-clock';
import captureUrl from './capture.worklet.ts?worker&url';
import { audioEngine } from './engine';
import { captureTrack, readsAllChannels } from './track-capture';

/** Prefix of audio source ids, followed by the browser's device id. */
export const AUDIO_PREFIX = 'audio:';

const CLOCK_EVERY_MS = 1000;
const MAX_CHANNELS = 32;
const STEREO = 2;
const DISCONNECTED = 'The audio input was disconnected. Reconnect it, then open it again.';

export class AudioInputError extends Error {
  override readonly name = 'AudioInputError';
}

export interface OpenAudioInput {
  label: string;
  channels: number;
  sampleRate: number;
  /** Where its sound comes from; null if it can’t be played through the page. */
  source: AudioNode | null;
  /** Read beside Web Audio: its frames aren’t those of the audio context. */
  fromTrack: boolean;
  close(): void;
}

/** Voice processing (echo cancellation, noise suppression, AGC) would distort the timing: turn it all off. */
const UNTOUCHED = { echoCancellation: false, noiseSuppression: false, autoGainControl: false };

/**
 * Opens an audio input and streams its samples to `toMeasure`. An empty `deviceId` is the system default. `onClock` is
 * called repeatedly with the time of frame 0 in ms of the window's clock; `onLost` once with the reason if nothing more
 * comes. The device is closed again if anything fails.
 * @throws AudioInputError with a message for the musician.
 */
export async function openAudioInput(
  deviceId: string,
  toMeasure: MessagePort,
  { onClock, onLost }: { onClock: (frameZeroMs: number) => void; onLost: (why: string) => void },
): Promise<OpenAudioInput> {
  const { context, clock } = audioEngine();
  const stream = await askForInput(deviceId);
  const track = stream.getAudioTracks()[0];
  try {
    if (!track) throw new AudioInputError('This audio input has no channels. Choose another one.');
    await context.resume();
    // Web Audio mixes more than two channels of a stream down to two (seen in Chromium; browsers that can't read the
    // track itself are taken at their word).
    if ((track.getSettings().channelCount ?? 1) > STEREO && readsAllChannels())
      return await captureAll(track, toMeasure, { onClock, onLost });
    await context.audioWorklet.addModule(captureUrl);
    return capture(context, clock, stream, track, toMeasure, { onClock, onLost });
  } catch (error) {
    stream.getTracks().forEach((one) => one.stop());
    if (error instanceof AudioInputError) throw error;
    throw new AudioInputError('Audio capture couldn’t be loaded. Reload the page, then open the input again.', {
      cause: error,
    });
  }
}

async function captureAll(
  track: MediaStreamTrack,
  toMeasure: MessagePort,
  { onClock, onLost }: { onClock: (frameZeroMs: number) => void; onLost: (why: string) => void },
): Promise<OpenAudioInput> {
  const captured = await captureTrack(track, toMeasure, () => onLost(DISCONNECTED));
  if (!captured)
    throw new AudioInputError('No sound arrives from this audio input. Check the interface, then open it again.');
  const { channels, sampleRate } = captured;
  const tellClock = () => onClock(captured.zeroMs());
  tellClock();
  const timer = setInterval(tellClock, CLOCK_EVERY_MS);
  return {
    label: track.label || 'Audio input',
    channels,
    sampleRate,
    source: null,
    fromTrack: true,
    close() {
      clearInterval(timer);
      captured.close();
      track.stop();
    },
  };
}

function capture(
  context: AudioContext,
  clock: AudioClock,
  stream: MediaStream,
  track: MediaStreamTrack,
  toMeasure: MessagePort,
  { onClock, onLost }: { onClock: (frameZeroMs: number) => void; onLost: (why: string) => void },
): OpenAudioInput {
  const source = new MediaStreamAudioSourceNode(context, { mediaStream: stream });
  const channels = Math.min(MAX_CHANNELS, track.getSettings().channelCount ?? source.channelCount);
  const node = new AudioWorkletNode(context, 'capture', {
    numberOfInputs: 1,
    numberOfOutputs: 0,
    channelCount: channels,
    channelCountMode: 'explicit',
    channelInterpretation: 'discrete',
  });
  node.port.postMessage({ kind: 'begin', port: toMeasure, channels }, [toMeasure]);
  source.connect(node);
  const lostDevice = () => onLost(DISCONNECTED);
  track.addEventListener('ended', lostDevice);
  node.addEventListener('processorerror', () => onLost('Audio capture crashed. Open the audio input again.'));
  const tellClock = () => onClock(clock.msAt(0));
  tellClock();
  const timer = setInterval(tellClock, CLOCK_EVERY_MS);
  return {
    label: track.label || 'Audio input',
    channels,
    sampleRate: context.sampleRate,
    source,
    fromTrack: false,
    close() {
      clearInterval(timer);
      track.removeEventListener('ended', lostDevice);
      node.port.postMessage({ kind: 'end' });
      source.disconnect();
      track.stop();
    },
  };
}

/** The inputs the browser reports; their names are empty without permission. */
export async function listAudioInputs(): Promise<{ id: string; label: string }[]> {
  const devices = (await navigator.mediaDevices?.enumerateDevices?.()) ?? [];
  return devices
    .filter((device) => device.kind === 'audioinput')
    .map((device, i) => ({ id: device.deviceId, label: device.label || `Audio input ${i + 1}` }));
}

async function askForInput(deviceId: string): Promise<MediaStream> {
  if (!navigator.mediaDevices?.getUserMedia)
    throw new AudioInputError(
      'The browser blocks audio input on this page. Open Metronomo on localhost or over HTTPS.',
    );
  const device = deviceId ? { deviceId: { exact: deviceId } } : {};
  try {
    return await navigator.mediaDevices.getUserMedia({
      audio: { ...UNTOUCHED, channelCount: { ideal: MAX_CHANNELS }, ...device },
    });
  } catch (error) {
    throw new AudioInputError(WORDS[error instanceof DOMException ? error.name : ''] ?? WORDS[''], { cause: error });
  }
}

const WORDS: Record<string, string> & { '': string } = {
  NotAllowedError:
    'Audio input is blocked. Allow the microphone for this page in the browser’s address bar, then open the input again.',
  NotFoundError: 'No audio input found. Connect your audio interface, then open the input again.',
  OverconstrainedError: 'That audio input is no longer available. Choose another one.',
  NotReadableError: 'Another program is using the audio input. Close it there, then open the input here again.',
  '': 'The audio input couldn’t be opened. Check the connection, then open it again.',
};
