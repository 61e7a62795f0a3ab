import { database, type Database } from '../store/database';
import type { Take, TakePlan } from '../store/records';
import { concatenate } from '../store/takes';
import type { TakeProgress } from './protocol';

/** A full disk, a crash or a closed tab loses no more than this. */
const CHUNK_SECONDS = 0.5;
/** A longer dropout ends the take. */
const LONGEST_GAP_SECONDS = 2;
/** An open input delivers a block every few hundredths of a second, silent or not. */
const LONGEST_SILENCE_MS = 5000;

/**
 * Stores a take's audio as it arrives, from one moment to another. `done` resolves with the take once everything is
 * written, or with what there is if it ends early.
 */
export class TakeRecorder {
  readonly done: Promise<Take>;
  /** The one in use when it began; another rig may be opened meanwhile. */
  readonly #into: Database = database;
  #take: Take;
  readonly #fromMs: number;
  readonly #toMs: number;
  readonly #tell: (progress: TakeProgress) => void;
  #pending: Float32Array[][] = [];
  #pendingFrames = 0;
  #frames = 0;
  #nextFrame: number | null = null;
  /** Capture time of the first sample, in ms of the window's clock. */
  #zeroMs = 0;
  #chunks = 0;
  #writing: Promise<unknown>;
  #over = false;
  #resolve: ((take: Take) => void) | null = null;
  #blocks = 0;
  #lastSeen: { blocks: number; atMs: number } | null = null;

  constructor(take: Take, fromMs: number, toMs: number, tell: (progress: TakeProgress) => void) {
    this.#take = take;
    this.#fromMs = fromMs;
    this.#toMs = toMs;
    this.#tell = tell;
    this.done = new Promise((resolve) => (this.#resolve = resolve));
    this.#writing = this.#into.takes.put(take);
  }

  /**
   * Adds a block; frames before the take's start are dropped. `isCounted`: its frames are those of the audio context.
   */
  push(channels: Float32Array[], sampleRate: number, startFrame: number, startMs: number, isCounted = false): void {
    this.#blocks++;
    const frames = channels[0]?.length ?? 0;
    const skip = Math.max(0, Math.ceil(((this.#fromMs - startMs) / 1000) * sampleRate));
    if (this.#over || skip >= frames) return;
    const gap = this.#nextFrame === null ? 0 : startFrame - this.#nextFrame;
    if (this.#nextFrame !== null && sampleRate !== this.#take.sampleRate) {
      this.end('The sample rate changed during the take.');
      return;
    }
    if (Math.abs(gap) > LONGEST_GAP_SECONDS * sampleRate) {
      this.end('Audio dropped out during the take. Check the audio interface, then repeat the take.');
      return;
    }
    if (this.#nextFrame === null)
      this.#learn(sampleRate, startMs + (skip / sampleRate) * 1000, isCounted ? startFrame + skip : null);
    if (gap !== 0) this.#take = { ...this.#take, gaps: (this.#take.gaps ?? 0) + 1 };
    // Silence replaces missing samples to keep the time: all channels miss the same ones, so only those beats are lost.
    if (gap > 0) this.#keep(channels.map(() => new Float32Array(gap)));
    // Frames that are there already are dropped.
    const again = Math.max(0, -gap);
    if (again >= frames) return;
    this.#nextFrame = startFrame + frames;
    this.#keep(channels.map((channel) => channel.slice(Math.max(skip, again))));
    this.#report(sampleRate);
    if (this.#pendingFrames >= CHUNK_SECONDS * sampleRate) this.#write();
    if (startMs + (frames / sampleRate) * 1000 >= this.#toMs) this.#finish('done');
  }

  /** Call now and then with any steady clock: a take whose input has gone silent ends. */
  watch(nowMs: number): void {
    if (this.#lastSeen?.blocks !== this.#blocks) this.#lastSeen = { blocks: this.#blocks, atMs: nowMs };
    else if (nowMs - this.#lastSeen.atMs > LONGEST_SILENCE_MS)
      this.end('No audio arrived for five seconds. Reopen the audio input in Rig, then repeat the take.');
  }

  /** What is known about the take's progress, in ms of the window's clock. */
  plan(plan: TakePlan): void {
    this.#take = { ...this.#take, plan };
  }

  /** Everything needed has been played. */
  complete(): void {
    this.#finish('done');
  }

  /** Finishes now; what was captured is kept. */
  end(why: string): void {
    this.#take = { ...this.#take, ending: why };
    this.#finish('interrupted');
  }

  /** Stored immediately: without it an interrupted take couldn't be analyzed or saved. */
  #learn(sampleRate: number, zeroMs: number, firstFrame: number | null): void {
    this.#zeroMs = zeroMs;
    const { id, beats } = this.#take;
    const lines = this.#take.lines.map((line) => {
      if (!line.within) return line;
      const [fromMs, toMs] = line.within;
      return { ...line, within: [fromMs - zeroMs, toMs - zeroMs] as [number, number] };
    });
    const known = {
      sampleRate,
      lines,
      beats: 'bpm' in beats ? { ...beats, firstBeatMs: beats.firstBeatMs - zeroMs } : beats,
      ...(firstFrame !== null && { firstFrame }),
    };
    this.#take = { ...this.#take, ...known };
    this.#writing = this.#writing.then(() => this.#into.takes.update(id, known));
  }

  #keep(channels: Float32Array[]): void {
    const frames = channels[0]?.length ?? 0;
    this.#pending.push(channels);
    this.#pendingFrames += frames;
    this.#frames += frames;
  }

  #report(sampleRate: number): void {
    this.#tell({ capturedSeconds: this.#frames / sampleRate, wantedSeconds: (this.#toMs - this.#fromMs) / 1000 });
  }

  #write(): void {
    const pending = this.#pending;
    const count = pending[0]?.length ?? 0;
    const channels = Array.from({ length: count }, (_, i) =>
      concatenate(pending.map((block) => block[i] ?? new Float32Array())),
    );
    const chunk = { takeId: this.#take.id, index: this.#chunks++, channels };
    this.#pending = [];
    this.#pendingFrames = 0;
    this.#writing = this.#writing.then(() => this.#into.sound.add(chunk));
    this.#writing.catch(() =>
      this.end('Browser storage is full, so the take ended early. Free some space under Storage in Logbook.'),
    );
  }

  #finish(status: 'done' | 'interrupted'): void {
    if (this.#over) return;
    this.#over = true;
    if (this.#pendingFrames > 0) this.#write();
    const { plan } = this.#take;
    const take = { ...this.#take, status, frames: this.#frames, ...(plan && { plan: since(plan, this.#zeroMs) }) };
    // What was written before storage failed can still be measured.
    const kept = this.#writing.then(
      () => take,
      (): Take => ({ ...take, status: 'interrupted' }),
    );
    void kept.then(async (one) => {
      await this.#store(one).catch(() => undefined); // Storage is full, and that was told.
      this.#resolve?.(one);
    });
  }

  /** A take that ended before any audio arrived is reported, but not stored. */
  async #store(take: Take): Promise<void> {
    // It counts as recorded once it is analyzed.
    const stored: Take = { ...take, status: 'recording' };
    await (take.frames > 0 ? this.#into.takes.put(stored) : this.#into.takes.delete(take.id));
  }
}

/** The plan with times relative to the first sample. */
function since(plan: TakePlan, zeroMs: number): TakePlan {
  switch (plan.question) {
    case 'chase':
    case 'starts':
      return { ...plan, startedMs: plan.startedMs.map((ms) => ms - zeroMs) };
    case 'program':
      return { ...plan, notes: plan.notes.map((note) => ({ ...note, atMs: note.atMs - zeroMs })) };
    case 'tempo':
    case 'tempoRun':
      return { ...plan, beganMs: plan.beganMs - zeroMs };
    default:
      return plan;
  }
}
