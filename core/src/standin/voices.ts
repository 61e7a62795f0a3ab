const { sin, cos, exp, PI } = Math;

/** A sound as a function of time in seconds: samples -1..1, 0 before its onset. All have a sharp attack, like drums. */
export type Voice = (seconds: number) => number;

const percussive = (hertz: number, decaySeconds: number, snap: number): Voice => {
  return (seconds) => {
    if (seconds < 0) return 0;
    const body = sin(2 * PI * hertz * seconds) * exp(-seconds / decaySeconds);
    return (1 - snap) * body + snap * cos(2 * PI * 3100 * seconds) * exp(-seconds / 0.0015);
  };
};

export const VOICES = {
  click: percussive(1560, 0.012, 0.3),
  barClick: percussive(2340, 0.012, 0.3),
  wood: percussive(760, 0.03, 0.45),
  skin: percussive(210, 0.07, 0.5),
  bell: percussive(1900, 0.05, 0.35),
  string: percussive(330, 0.09, 0.45),
  tin: percussive(980, 0.04, 0.5),
  crate: percussive(440, 0.05, 0.45),
  shell: percussive(1250, 0.025, 0.4),
  bar: percussive(590, 0.06, 0.45),
} as const satisfies Record<string, Voice>;

export type VoiceName = keyof typeof VOICES;

/** Every voice has decayed by then. */
export const LONGEST_VOICE_SECONDS = 0.5;
