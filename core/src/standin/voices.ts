const { sin, cos, exp, PI } = Math;

/** A sound from its first instant on: samples -1..1 at a time in seconds, 0 before. All begin sharply, as drums do. */
export type Voice = (seconds: number) => number;

const struck = (hertz: number, decaySeconds: number, snap: number): Voice => {
  return (seconds) => {
    if (seconds < 0) return 0;
    const body = sin(2 * PI * hertz * seconds) * exp(-seconds / decaySeconds);
    return (1 - snap) * body + snap * cos(2 * PI * 3100 * seconds) * exp(-seconds / 0.0015);
  };
};

export const VOICES = {
  click: struck(1560, 0.012, 0.3),
  barClick: struck(2340, 0.012, 0.3),
  wood: struck(760, 0.03, 0.45),
  skin: struck(210, 0.07, 0.5),
  bell: struck(1900, 0.05, 0.35),
  string: struck(330, 0.09, 0.45),
  tin: struck(980, 0.04, 0.5),
  crate: struck(440, 0.05, 0.45),
  shell: struck(1250, 0.025, 0.4),
  bar: struck(590, 0.06, 0.45),
} as const satisfies Record<string, Voice>;

export type VoiceName = keyof typeof VOICES;

/** By then every voice has died away. */
export const LONGEST_VOICE_SECONDS = 0.5;
