import { hearInput } from '../audio/listening';
import type { OpenAudioInput } from '../audio/audio-input';
import { boathouse } from '../store/boathouse';
import { InputDesk } from './input';
import { useSession } from './session';

const room = {
  /** Devices that were asked for and haven't opened yet. */
  opening: new Map<string, (input: OpenAudioInput | Error) => void>(),
  lose: new Map<string, (why: string) => void>(),
  closed: [] as string[],
  references: [] as [number, number][],
};

jest.mock('../audio/audio-input', () => {
  class AudioInputError extends Error {}
  return {
    AUDIO_PREFIX: 'audio:',
    AudioInputError,
    openAudioInput: (deviceId: string, _: unknown, { onLost }: { onLost: (why: string) => void }) =>
      new Promise((resolve, reject) => {
        room.lose.set(deviceId, onLost);
        room.opening.set(deviceId, (input) =>
          input instanceof Error ? reject(new AudioInputError(input.message)) : resolve(input),
        );
      }),
  };
});
jest.mock('../audio/listening', () => ({ useListening: { setState: () => undefined }, hearInput: jest.fn() }));
jest.mock('../store/calibrations', () => ({ findCalibration: () => Promise.resolve(null) }));
jest.mock('./workers', () => ({
  hub: { useStudio: () => Promise.resolve({ channels: 13, sampleRate: 48_000 }) },
  measure: {
    useSource: () => Promise.resolve(),
    setFrameZero: () => undefined,
    setReference: (channel: number, bpm: number) => room.references.push([channel, bpm]),
  },
}));

const device = (label: string): OpenAudioInput => ({
  label,
  channels: 2,
  sampleRate: 48_000,
  source: {} as AudioNode,
  fromTrack: false,
  close: () => void room.closed.push(label),
});
const settled = () => new Promise((resolve) => setImmediate(resolve));

let desk: InputDesk;
beforeEach(() => {
  room.opening.clear();
  Object.assign(room, { closed: [], references: [] });
  desk = new InputDesk();
  useSession.setState({ rig: boathouse(), input: null, inputProblem: null });
});
const inUse = () => useSession.getState().input?.label ?? null;

test('of a slow input and a quick one chosen after it, the quick one is in use and the slow one is closed', async () => {
  const slow = desk.open('audio:slow');
  await settled();
  const quick = desk.open('audio:quick');
  await settled();
  room.opening.get('quick')!(device('quick'));
  expect(await quick).toBe(true);
  room.opening.get('slow')!(device('slow'));
  expect(await slow).toBe(false);
  expect([inUse(), room.closed]).toEqual(['quick', ['slow']]);
  // What the slow one still has to say doesn't count.
  room.lose.get('slow')!('The audio input was disconnected.');
  expect(inUse()).toBe('quick');
});

test('an input that can’t be opened says why; one that is lost too, and is closed', async () => {
  const opening = desk.open('audio:bad');
  await settled();
  room.opening.get('bad')!(new Error('Audio input is blocked.'));
  expect(await opening).toBe(false);
  expect(useSession.getState().inputProblem).toBe('Audio input is blocked.');
  const good = desk.open('audio:good');
  await settled();
  room.opening.get('good')!(device('good'));
  await good;
  room.lose.get('good')!('Audio capture crashed. Open the audio input again.');
  expect([inUse(), useSession.getState().inputProblem, room.closed]).toEqual([
    null,
    'Audio capture crashed. Open the audio input again.',
    ['good'],
  ]);
});

test('returns are measured against the tempo that is played, not the rig’s', async () => {
  useSession.setState(({ snapshot }) => ({ snapshot: { ...snapshot, bpm: 97 } }));
  await desk.open('boathouse');
  expect(room.references).toEqual([[0, 97]]);
  useSession.setState(({ snapshot }) => ({ snapshot: { ...snapshot, bpm: 133 } }));
  desk.tellReference();
  desk.tellReference();
  expect(room.references).toEqual([
    [0, 97],
    [0, 133],
  ]);
});

describe('hearing an input', () => {
  const heard = { now: 0, ends: 0 };
  beforeEach(() => {
    Object.assign(heard, { now: 0, ends: 0 });
    jest.mocked(hearInput).mockImplementation(() => {
      heard.now++;
      return () => {
        heard.now--;
        heard.ends++;
      };
    });
  });
  const openDevice = async () => {
    const opening = desk.open('audio:one');
    await settled();
    room.opening.get('one')!(device('one'));
    await opening;
  };
  const hear = () => desk.hear(() => undefined);

  test('it isn’t heard during a measurement, nor if one began before it could be', async () => {
    await openDevice();
    const asked = hear();
    let end: () => void = () => undefined;
    const measured = desk.withClickOnTime(() => new Promise<void>((resolve) => (end = resolve)));
    expect(await asked).toBe(false);
    expect(await hear()).toBe(false);
    expect(heard.now).toBe(0);
    end();
    await measured;
    expect(await hear()).toBe(true);
    expect(heard.now).toBe(1);
  });

  test('a measurement ends it, also one that fails', async () => {
    await openDevice();
    await hear();
    await expect(desk.withClickOnTime(() => Promise.reject(new Error('no')))).rejects.toThrow('no');
    expect(heard.now).toBe(0);
    expect(await hear()).toBe(true);
  });

  test('of two wishes, one is carried out; it ends with the input', async () => {
    await openDevice();
    expect(await Promise.all([hear(), hear()])).toEqual([false, true]);
    expect(heard.now).toBe(1);
    desk.close();
    expect(heard).toEqual({ now: 0, ends: 1 });
    expect(await hear()).toBe(false);
  });
});
