import { LINKS } from './link';
import { USUAL_RECORDER } from './recorder';
import type { StudioSettings } from './studio';

const { din, usb, loopback } = LINKS;
/** In this room the network loses nothing. */
const network = { ...LINKS.network, loss: 0 };
const tablet = { ...usb, delayMs: 1.1 };

/**
 * The demo: an invented boathouse where a duo records. The latencies here are the hidden truth, read only by the
 * simulation and by tests.
 */
export const BOATHOUSE: StudioSettings = {
  soundInterface: {
    sampleRate: 48_000,
    channels: 14,
    inputDelayMs: 7.4,
    noise: 0.0004,
    seed: 40,
    roomMicrophone: true,
  },
  click: { portId: 'click', channel: 0 },
  boxes: [
    { portId: 'boathouse-porch', channel: 1, voice: 'wood', latencyMs: 12.3, jitterMs: 0.35, seed: 41, cable: din },
    { portId: 'boathouse-tide', channel: 2, voice: 'skin', latencyMs: 31.7, jitterMs: 0.4, seed: 42, cable: din },
    { portId: 'boathouse-heron', channel: 3, voice: 'bell', latencyMs: 5.4, jitterMs: 0.3, seed: 43, cable: din },
    {
      portId: 'boathouse-otter',
      channel: 4,
      voice: 'string',
      latencyMs: 8.9,
      jitterMs: 0.6,
      seed: 44,
      cable: din,
      programs: { voices: ['string', 'bell', 'shell'], changeMs: 86, jitterMs: 3 },
    },
    {
      portId: 'boathouse-gull',
      channel: 5,
      voice: 'tin',
      latencyMs: 18.2,
      jitterMs: 1.2,
      seed: 45,
      cable: usb,
      returns: { lateMs: 2.6, jitterMs: 0.4 },
    },
    { portId: 'boathouse-lantern', channel: 6, voice: 'crate', latencyMs: 43.6, jitterMs: 3, seed: 46, cable: tablet },
    {
      portId: 'boathouse-ledger',
      channel: 7,
      voice: 'shell',
      latencyMs: 0.6,
      jitterMs: 0.15,
      seed: 47,
      cable: loopback,
    },
    // A second program on the same loopback.
    {
      portId: 'boathouse-ledger',
      channel: 12,
      voice: 'bell',
      latencyMs: 0.9,
      jitterMs: 0.2,
      seed: 53,
      cable: loopback,
    },
    // Two boxes behind a split box.
    { portId: 'boathouse-pier', channel: 10, voice: 'wood', latencyMs: 14.2, jitterMs: 0.4, seed: 51, cable: din },
    { portId: 'boathouse-pier', channel: 11, voice: 'skin', latencyMs: 14.6, jitterMs: 0.5, seed: 52, cable: din },
    { portId: 'boathouse-marsh', channel: 8, voice: 'bar', latencyMs: 22.1, jitterMs: 1, seed: 48, cable: network },
  ],
  gear: [
    { kind: 'recorder', portId: 'boathouse-weir', ...USUAL_RECORDER, channel: 9, voice: 'wood', seed: 49, cable: din },
    {
      kind: 'keyboard',
      portId: 'boathouse-vole',
      thru: true,
      tempo: [{ beat: 0, bpm: 98.2 }],
      crystalPpm: 38,
      jitterMs: 0.4,
      soundDelayMs: 18.6,
      channel: 13,
      voice: 'bar',
      seed: 50,
      cable: din,
    },
  ],
};
