import * as Comlink from 'comlink';
import { AUDIO_PREFIX, AudioInputError, openAudioInput, type OpenAudioInput } from '../audio/audio-input';
import { audioBufferMs } from '../audio/engine';
import { hearInput, useListening } from '../audio/listening';
import { findCalibration } from '../store/calibrations';
import { BOATHOUSE_SOURCE } from '../store/boathouse';
import { useSession } from './session';
import { hub, measure } from './workers';

const SAME_BPM = 0.02;

/** The one audio source that is open. */
export class InputDesk {
  #opened: OpenAudioInput | null = null;
  /** The source asked for last; slower ones that were asked for before are closed when they come. */
  #wanted = { sourceId: 'none' };
  #reference = { clickChannel: -1, bpm: 0 };

  #endHearing: (() => void) | null = null;
  /** The wish to hear the input that came last; none that is older, or was withdrawn, is carried out. */
  #wish: object | null = null;
  #isMeasuring = false;

  /**
   * Plays the open input through the page, with the click delayed as much. False during a measurement, which needs the
   * click on time.
   */
  async hear(onHowl: () => void): Promise<boolean> {
    this.endHearing();
    if (this.#isMeasuring) return false;
    const wish = (this.#wish = {});
    const calibration = await findCalibration(useSession.getState(), audioBufferMs());
    const opened = this.#opened;
    if (this.#wish !== wish || !opened?.source) return false;
    const howl = () => {
      this.endHearing();
      onHowl();
    };
    useSession.setState({ live: null });
    this.#endHearing = hearInput(opened.source, opened.channels, calibration?.roundTripMs ?? 0, howl);
    return true;
  }

  endHearing(): void {
    this.#wish = null;
    this.#endHearing?.();
    this.#endHearing = null;
  }

  get isMeasuring(): boolean {
    return this.#isMeasuring;
  }

  /** Runs a measurement with the click on time: nothing is heard through the page meanwhile. */
  async withClickOnTime<T>(measurement: () => Promise<T>): Promise<T> {
    this.#isMeasuring = true;
    this.endHearing();
    try {
      return await measurement();
    } finally {
      this.#isMeasuring = false;
    }
  }

  /** Opens an audio source, closing the previous one. Problems go to `inputProblem`. */
  async open(sourceId: string): Promise<boolean> {
    const wanted = { sourceId };
    this.#wanted = wanted;
    this.#close();
    useSession.setState({ input: null, inputProblem: null, live: null });
    const isStudio = sourceId === BOATHOUSE_SOURCE;
    const isAudio = sourceId.startsWith(AUDIO_PREFIX);
    const { port1: from, port2: to } = new MessageChannel();
    const room = await hub.useStudio(isStudio ? Comlink.transfer(from, [from]) : null);
    if (this.#wanted !== wanted || (!isStudio && !isAudio)) return false;
    await measure.useSource(Comlink.transfer(to, [to]));
    const opened = isAudio ? await this.#openDevice(sourceId.slice(AUDIO_PREFIX.length), from, wanted) : null;
    if (this.#wanted !== wanted) {
      opened?.close();
      return false;
    }
    if (isAudio && !opened) return false;
    this.#opened = opened;
    useSession.setState({ input: opened ? aboutInput(opened) : { label: 'Boathouse interface', ...room } });
    useListening.setState({ solo: null });
    this.#reference.bpm = 0;
    this.tellReference();
    return true;
  }

  /** A worker was restarted: what is open is connected to it again. The hub's has only the stand-ins' sound. */
  async reconnect(which: 'hub' | 'measure'): Promise<void> {
    const { sourceId } = this.#wanted;
    const concerned = which === 'measure' || sourceId === BOATHOUSE_SOURCE;
    if (concerned && useSession.getState().input) await this.open(sourceId);
  }

  close(): void {
    this.#wanted = { sourceId: 'none' };
    this.#close();
    useSession.setState({ input: null, live: null });
  }

  /** Returns are measured against the tempo that is played, whoever sets it. */
  tellReference(): void {
    const { rig, snapshot, input } = useSession.getState();
    if (!rig || !input) return;
    const { clickChannel } = rig.input;
    if (clickChannel === this.#reference.clickChannel && Math.abs(snapshot.bpm - this.#reference.bpm) < SAME_BPM)
      return;
    this.#reference = { clickChannel, bpm: snapshot.bpm };
    useListening.setState({ clickChannel });
    void measure.setReference(clickChannel, snapshot.bpm);
  }

  async #openDevice(deviceId: string, toMeasure: MessagePort, wanted: object): Promise<OpenAudioInput | null> {
    try {
      return await openAudioInput(deviceId, toMeasure, {
        onClock: (frameZeroMs) => {
          if (this.#wanted === wanted) void measure.setFrameZero(frameZeroMs);
        },
        onLost: (why) => {
          if (this.#wanted === wanted) this.#lose(why);
        },
      });
    } catch (error) {
      if (!(error instanceof AudioInputError)) throw error;
      if (this.#wanted === wanted) useSession.setState({ inputProblem: error.message });
      return null;
    }
  }

  #lose(why: string): void {
    this.#wanted = { sourceId: 'none' };
    this.#close();
    useSession.setState({ input: null, live: null, inputProblem: why });
  }

  #close(): void {
    this.endHearing();
    this.#opened?.close();
    this.#opened = null;
  }
}

function aboutInput({ label, channels, sampleRate, fromTrack }: OpenAudioInput) {
  return { label, channels, sampleRate, fromTrack };
}

export const inputDesk = new InputDesk();
