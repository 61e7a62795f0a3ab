import type { GearKind } from '@metronomo/core';
import {
  AppWindow,
  AudioWaveform,
  Box,
  Cable,
  Disc3,
  Drum,
  KeyboardMusic,
  Lightbulb,
  type LucideIcon,
  Mic,
  Piano,
  SlidersHorizontal,
  Speaker,
  Split,
  Tablet,
  Timer,
} from 'lucide-react';

/** Icons by their stored name. */
export const ICONS: Readonly<Record<string, LucideIcon>> = {
  drum: Drum,
  keys: KeyboardMusic,
  piano: Piano,
  wave: AudioWaveform,
  disc: Disc3,
  window: AppWindow,
  tablet: Tablet,
  lamp: Lightbulb,
  knobs: SlidersHorizontal,
  split: Split,
  mic: Mic,
  speaker: Speaker,
  cable: Cable,
  clock: Timer,
  box: Box,
};

/** Labels of the icons whose stored name isn't a good label. */
export const ICON_LABELS: Readonly<Record<string, string>> = { window: 'app', lamp: 'light', knobs: 'faders' };

const OF_KIND: Readonly<Record<GearKind, keyof typeof ICONS>> = {
  hub: 'clock',
  beatBox: 'drum',
  synthesizer: 'piano',
  sampler: 'wave',
  recorder: 'disc',
  audioProgram: 'window',
  tablet: 'tablet',
  lightingDesk: 'lamp',
  effect: 'knobs',
  splitBox: 'split',
  keyboard: 'keys',
  other: 'box',
};

/** The icon of a device; decorative. */
export function GearIcon({ kind, icon, size }: { kind: GearKind; icon: string | null; size: number }) {
  const Picture = ICONS[icon ?? OF_KIND[kind]] ?? Box;
  return <Picture size={size} aria-hidden className="shrink-0" />;
}
