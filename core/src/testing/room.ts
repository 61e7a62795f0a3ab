import type { FeedSettings } from '../feed/feed-settings';
import { Hub } from '../hub/hub';
import type { Outgoing } from '../hub/outgoing';
import type { SourceSettings } from '../hub/source';
import { MidiParser } from '../midi/parser';
import { TimeMaster, type TimeMasterSettings } from '../standin/time-master';

export const ALL_CLOCK = { clock: true, transport: true, position: true, timecode: null };
export const feed = (id: string, change: Partial<FeedSettings> = {}) => ({
  id,
  portId: `to-${id}`,
  settings: { sends: ALL_CLOCK, offsetMs: 0, clockWhileStopped: false, ...change },
});
export const master = (change: Partial<TimeMasterSettings> = {}): TimeMasterSettings => ({
  tempo: [{ beat: 0, bpm: 120 }],
  sends: ALL_CLOCK,
  crystalPpm: 40,
  jitterMs: 0.5,
  seed: 7,
  ...change,
});
export const source = (id: string, change: Partial<SourceSettings> = {}): SourceSettings => ({
  id,
  portId: `from-${id}`,
  language: 'clock',
  ...change,
});

/** A hub, the machines that may lead it, and virtual time. */
export class Room {
  readonly hub = new Hub({ bpm: 110 });
  readonly machines = new Map<string, TimeMaster>();
  readonly out: Outgoing[] = [];
  readonly unplugged = new Set<string>();
  nowMs = 0;

  machine(id: string, settings: TimeMasterSettings): TimeMaster {
    const one = new TimeMaster(settings, (bytes, atMs) => {
      if (!this.unplugged.has(id)) this.hub.receive(`from-${id}`, bytes, atMs);
    });
    this.machines.set(id, one);
    return one;
  }

  run(ms: number): Outgoing[] {
    const from = this.out.length;
    for (const untilMs = this.nowMs + ms; this.nowMs < untilMs; this.nowMs += 10) {
      for (const machine of this.machines.values()) machine.advance(this.nowMs);
      this.out.push(...this.hub.advance(this.nowMs, 60));
    }
    return this.out.slice(from);
  }

  /** The machine stands still; its timer goes off before what arrived meanwhile is handed over. */
  standStill(ms: number): void {
    this.nowMs += ms;
    this.out.push(...this.hub.advance(this.nowMs, 60));
    this.run(200);
  }

  heard(id: string, out = this.out) {
    const parser = new MidiParser();
    return out
      .filter((one) => one.feedId === id)
      .flatMap(({ bytes, atMs }) => parser.push(bytes, atMs).map(({ message }) => ({ ...message, atMs })));
  }

  ticks(id: string, out = this.out): number[] {
    return this.heard(id, out)
      .filter(({ kind }) => kind === 'clock')
      .map(({ atMs }) => atMs);
  }
}
