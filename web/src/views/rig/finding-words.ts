import type { Cure, Seen } from '@metronomo/core';

export interface FindingWords {
  title: string;
  /** What it means, and what to do. */
  text: string;
}

type NameOf = (gearId: string) => string;

/** A finding in a musician's words: what is seen, what it means, what to do. */
export function wordsFor(seen: Seen, gearId: string, nameOf: NameOf): FindingWords {
  const { title, text } = sayIt(seen, gearId, nameOf);
  return { title: capitalized(title), text: capitalized(text) };
}

const capitalized = (text: string) => text.charAt(0).toUpperCase() + text.slice(1);

function sayIt(seen: Seen, gearId: string, nameOf: NameOf): FindingWords {
  const name = nameOf(gearId);
  const names = (ids: readonly string[]) => ids.map(nameOf).join(', ');
  switch (seen.rule) {
    case 'nobody leads':
      return { title: 'Nobody leads', text: 'Without a master nothing starts. Let the hub lead, or choose somebody.' };
    case 'two lead':
      return {
        title: `${name} hears two clocks`,
        text: `${names(seen.others)} sends a clock of its own as well. Two clocks at one socket add up to a wrong tempo. Turn its clock out off.`,
      };
    case 'loop':
      return {
        title: `The clock of ${name} comes back to it`,
        text: `It runs through ${names(seen.through) || 'a cable'} and returns. Every tick is heard twice, or for ever. Turn thru off on the way, or pull the cable back.`,
      };
    case 'set to internal':
      return {
        title: `${name} is set to internal`,
        text: 'It plays by its own clock, whatever is sent. Set its clock source to external, in its menu, then here.',
      };
    case 'cannot lead':
      return {
        title: `${name} cannot lead`,
        text: 'It sends no clock and no timecode. Let the hub lead, or choose somebody who can.',
      };
    case 'does not speak':
      return {
        title: `${name} knows no ${seen.language === 'clock' ? 'MIDI clock' : 'timecode'}`,
        text: `It is to take its time by it. ${seen.speaks.length > 0 ? `Send it ${seen.speaks.join(' or ')} instead.` : 'It can take no time at all.'}`,
      };
    case 'other frame rate':
      return {
        title: `${name} knows no ${seen.sent} frames a second`,
        text: `It knows ${seen.knows.join(', ')}. At another rate it runs off, or does not lock.`,
      };
    case 'waits for the other':
      return {
        title: `${seen.arrives === 'clock' ? 'Clock' : 'Timecode'} arrives, but the hub waits for ${seen.waitsFor}`,
        text: `Set who leads to take ${seen.arrives}, or switch the gear to send ${seen.waitsFor}.`,
      };
    case 'nothing arrives':
      return { title: `${name} hears nothing`, text: SILENCE[seen.cause] };
    case 'old tempo':
      return {
        title: `${name} may show an old tempo`,
        text: 'Clock runs only while playing. While it stands, its display and its arpeggio keep the last tempo they heard.',
      };
    case 'port in use':
      return {
        title: `A port of ${name} is in use`,
        text: 'Another program holds it. Close it there, then connect again.',
      };
    case 'too many destinations':
      return {
        title: `${name} sends its clock to ${seen.has}, and can to ${seen.can}`,
        text: 'Send its clock to the hub only: the hub makes it anew for any number.',
      };
    case 'same channel':
      return {
        title: `${name} plays on channel ${seen.channel} too`,
        text: `${names(seen.others)} hears the same channel on the same line: both play every note. Give one of them a free channel.`,
      };
    case 'long chain':
      return {
        title: `${name} stands behind ${seen.thrus} thru sockets`,
        text: 'Each wears the edges of the bits a little. After two or three, ticks get lost. A split box feeds all of them at once.',
      };
    case 'ticks wait':
      return {
        title: `Ticks for ${name} wait up to ${seen.traffic.worstWaitMs.toFixed(1)} ms`,
        text: `Chords and clock share one cable: ${Math.round(seen.traffic.bytesPerSecond)} bytes a second, ${Math.round(100 * seen.traffic.load)} % of what it carries. Give the notes a cable of their own.`,
      };
    case 'offset twice':
      return {
        title: `${name} has two offsets`,
        text: `${seen.own} in its own menu and ${seen.inHubMs.toFixed(1)} ms in the hub: both move it. Set its own to 0.`,
      };
    case 'start again':
      return {
        title: `${name} has to be started again`,
        text: 'Its port was away and came back. Press play on it once, or let the hub start it anew.',
      };
    case 'route echoes':
      return {
        title: `${name} sends back what a route brings it`,
        text: 'Notes go out to it, come back through its thru, and go out again. Turn thru off, in its menu, then here.',
      };
    case 'no answer':
      return {
        title: `${name} did not answer the line test`,
        text: 'Look at its cable, its channel and its volume, and test the line again.',
      };
    case 'not measured':
      return { title: `${name} is not measured`, text: 'How late it sounds is not known yet. Take it on the Bench.' };
    case 'stale':
      return { title: `${name} was measured before`, text: `The number may not hold: ${seen.because}. Take it again.` };
  }
}

const SILENCE: Readonly<Record<Extract<Seen, { rule: 'nothing arrives' }>['cause'], string>> = {
  'no cable': 'No cable leads to it from anybody who sends time. Draw one from the hub, or from a thru.',
  'port gone': 'Its port is not here. Plug it in; it goes on by itself.',
  'no port': 'Its cable begins at a socket that no port belongs to. Connect the MIDI ports and choose one.',
  'clock out is off': 'Whoever its cable comes from has clock out turned off. Turn it on there.',
  'clock in is off': 'A clock is sent, but its clock in is turned off. Turn it on, in its menu, then here.',
  silent: 'Nothing comes in at the port that is to lead. Press play there, and check its clock out.',
};

/** What a button says that cures it; null where the cure is none of a button's. */
export function cureWords(cure: Cure, nameOf: NameOf): string | null {
  switch (cure.kind) {
    case 'lead':
      return `Let ${nameOf(cure.gearId)} lead`;
    case 'menu':
      return 'I have set it';
    case 'take':
      return cure.takes === 'nothing' ? 'Send it no time' : `Send it ${cure.takes}`;
    case 'rate':
      return `Send ${cure.rate} frames a second`;
    case 'clockWhileStopped':
      return 'Clock while stopped';
    case 'channels':
      return `Channel ${cure.channels.join(', ')}`;
    case 'offsetOnlyInHub':
      return 'Its own is at 0 now';
    case 'listenFor':
      return `Take ${cure.language}`;
    case 'measure':
      return 'To the Bench';
    case 'rejoin':
      return 'Start it anew';
    default:
      return null;
  }
}
