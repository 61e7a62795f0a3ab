import { encodeMidi } from '../midi/encode-midi';
import type { MidiMessage } from '../midi/message';
import { MidiParser } from '../midi/parser';
import type { Outgoing } from './outgoing';

/** Carries notes and controllers from one port to another. Routes into the same port are merged message by message. */
export interface PortRoute {
  id: string;
  fromPortId: string;
  toPortId: string;
  /** 1..16; null is every channel. */
  fromChannel: number | null;
  /** 1..16; null leaves the channel as it is. */
  toChannel: number | null;
  /** Only notes from the first to the second of these; all by default. */
  range?: readonly [low: number, high: number] | null | undefined;
  passes: { notes: boolean; controllers: boolean; programs: boolean; bends: boolean };
  /** Sent this much later, so that notes keep with a device’s delayed clock, ms; 0 by default. */
  delayMs?: number;
}

type ChannelMessage = Extract<MidiMessage, { channel: number }>;

const MAX_HELD = 1024;

/**
 * Forwards notes and controllers immediately, or after the route's delay, and sends note-offs for held notes when their
 * route is removed. Ignores sync messages.
 */
export class NoteRouter {
  #routes: readonly PortRoute[] = [];
  readonly #parsers = new Map<string, MidiParser>();
  /** Sounding notes by source port and note, with where they were sent. */
  readonly #held = new Map<
    string,
    { routeId: string; toPortId: string; channel: number; note: number; dueMs: number }
  >();

  /** Replaces the routes; notes held by a removed or changed route get their note-off. */
  setRoutes(routes: readonly PortRoute[], atMs: number): Outgoing[] {
    // A delay that changes must not cut off what is being played.
    const carries = (route: PortRoute) => JSON.stringify({ ...route, delayMs: 0 });
    const same = (route: PortRoute) => this.#routes.some((old) => carries(old) === carries(route));
    const kept = new Set(routes.filter(same).map(({ id }) => id));
    this.#routes = routes;
    const out: Outgoing[] = [];
    for (const [key, { routeId, toPortId, channel, note, dueMs }] of this.#held) {
      if (kept.has(routeId)) continue;
      this.#held.delete(key);
      out.push(outgoing(routeId, toPortId, { kind: 'noteOff', channel, note, velocity: 64 }, Math.max(atMs, dueMs)));
    }
    return out;
  }

  receive(portId: string, bytes: Uint8Array, atMs: number): Outgoing[] {
    const routes = this.#routes.filter(({ fromPortId }) => fromPortId === portId);
    if (routes.length === 0) return [];
    const parser = this.#parsers.get(portId) ?? new MidiParser();
    this.#parsers.set(portId, parser);
    return parser
      .push(bytes, atMs)
      .flatMap(({ message }) =>
        'channel' in message ? routes.flatMap((route) => this.#carry(route, message, atMs + (route.delayMs ?? 0))) : [],
      );
  }

  #carry(route: PortRoute, message: ChannelMessage, atMs: number): Outgoing[] {
    if (message.kind === 'noteOff' || (message.kind === 'noteOn' && message.velocity === 0))
      return this.#letGo(route, message, atMs);
    if (!passes(route, message)) return [];
    const moved = { ...message, channel: route.toChannel ?? message.channel };
    if (message.kind === 'noteOn' && this.#held.size < MAX_HELD)
      this.#held.set(keyOf(route, message), {
        routeId: route.id,
        toPortId: route.toPortId,
        channel: moved.channel,
        note: message.note,
        dueMs: atMs,
      });
    return [outgoing(route.id, route.toPortId, moved, atMs)];
  }

  /** Note-off goes where the note-on went, even if the route has changed since. */
  #letGo(route: PortRoute, message: ChannelMessage & { note: number }, atMs: number): Outgoing[] {
    const key = keyOf(route, message);
    const held = this.#held.get(key);
    this.#held.delete(key);
    if (!held) return [];
    // The delay may have become shorter since.
    return [outgoing(route.id, held.toPortId, { ...message, channel: held.channel }, Math.max(atMs, held.dueMs))];
  }
}

function keyOf({ id }: PortRoute, { channel, note }: { channel: number; note: number }): string {
  return `${id} ${channel} ${note}`;
}

function passes({ fromChannel, passes: pass, range }: PortRoute, message: ChannelMessage): boolean {
  if (fromChannel !== null && message.channel !== fromChannel) return false;
  switch (message.kind) {
    case 'noteOn':
    case 'noteOff':
    case 'polyPressure':
      return pass.notes && (!range || (message.note >= range[0] && message.note <= range[1]));
    case 'controlChange':
      return pass.controllers;
    case 'programChange':
      return pass.programs;
    case 'pitchBend':
    case 'channelPressure':
      return pass.bends;
  }
}

function outgoing(feedId: string, portId: string, message: MidiMessage, atMs: number): Outgoing {
  return { feedId, portId, bytes: encodeMidi(message), atMs };
}
