import * as Comlink from 'comlink';
import { AUDIO_PREFIX, AudioInputError, openAudioInput, type OpenAudioInput } from '../audio/audio-input';
import { audioBufferMs } from '../audio/engine';
import { hearInput, useListening } from '../audio/listening';
import { findCalibration } from '../store/calibrations';
import { BOATHOUSE_SOURCE } from '../store/boathouse';
import { showToast } from '../toasts/toast-store';
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

  /** Plays the open input through the page, with the click delayed as much. */
  async hear(): Promise<void> {
    this.endHearing();
    const opened = this.#opened;
    const calibration = await findCalibration(useSession.getState(), audioBufferMs());
    if (!opened || opened !== this.#opened) return;
    const onHowl = () => {
      this.endHearing();
      showToast('Inputs were muted, because sound went round from the speakers to the input. Use headphones.');
    };
    useSession.setState({ live: null });
    this.#endHearing = hearInput(opened.source, opened.channels, calibration?.roundTripMs ?? 0, onHowl);
  }

  /** The click is on time again: what is measured with it needs that. */
  endHearing(): void {
    this.#endHearing?.();
    this.#endHearing = null;
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
    useSession.setState({ input: opened ?? { label: 'Boathouse interface', ...room } });
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

export const inputDesk = new InputDesk();
