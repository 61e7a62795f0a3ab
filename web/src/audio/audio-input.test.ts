import { AudioInputError, openAudioInput } from './audio-input';

const track = { stop: jest.fn(), getSettings: () => ({ channelCount: 2 }), addEventListener: () => undefined };
const context = { resume: () => Promise.resolve(), audioWorklet: { addModule: () => Promise.resolve() } };

jest.mock('./capture.worklet.ts?worker&url', () => 'capture.js', { virtual: true });
jest.mock('./engine', () => ({ audioEngine: () => ({ context, clock: { msAt: () => 0 } }) }));

const listeners = { onClock: () => undefined, onLost: () => undefined };

beforeEach(() => {
  track.stop.mockClear();
  const stream = { getTracks: () => [track], getAudioTracks: () => [track] };
  const mediaDevices = { getUserMedia: () => Promise.resolve(stream) };
  Object.defineProperty(globalThis, 'navigator', { value: { mediaDevices }, configurable: true });
});

test.each([
  ['a worklet that can’t be loaded', { audioWorklet: { addModule: () => Promise.reject(new Error('404')) } }],
  ['an audio context that can’t run', { resume: () => Promise.reject(new Error('no device')) }],
  ['a node that can’t be made', {}],
])('%s releases the microphone', async (_, broken) => {
  Object.assign(context, broken);
  await expect(openAudioInput('', {} as MessagePort, listeners)).rejects.toThrow(AudioInputError);
  expect(track.stop).toHaveBeenCalledTimes(1);
});
