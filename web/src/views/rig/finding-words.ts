import { HUB_ID, type Cure, type Seen, type WireConflictKind } from '@metronomo/core';
import { count, decimal, fps, percent } from '../../words/numbers';

export interface FindingWords {
  title: string;
  /** What it means, and what to do. */
  text: string;
}

const WIRE_CONFLICTS: Record<WireConflictKind, string> = {
  'clock offset': 'It has another clock offset than the rest of the wire, and only one can be sent.',
  'timecode offset': 'It has another timecode offset than the rest of the wire, and only one can be sent.',
  'note offset': 'Its beat triggers have another offset on the same channel, and only one can be sent.',
  'clock rate': 'It wants another clock rate than the rest of the wire, and only one can be sent.',
  'clock while stopped': 'Not everyone on the wire wants clock while stopped, so none is sent.',
  'timecode rate': 'It needs another frame rate than the rest of the wire, and only one can be sent.',
  'standing timecode': 'It wants another timecode while stopped than the rest of the wire, and only one can be sent.',
  'machine control':
    'It shares machine control with a device that may record or wants pause, and only one can be sent.',
  'start and stop': 'Start and stop are off for it, but others on the wire need them.',
  'song position': 'It has no song position, so everyone on the wire starts on a bar, from the top.',
  'two streams': 'A second port reaches it, so every tick arrives twice.',
};

type NameOf = (gearId: string) => string;

/** A finding for the musician: a title, then what it means and what to do. */
export function wordsFor(seen: Seen, gearId: string, nameOf: NameOf): FindingWords {
  const { title, text } = findingText(seen, gearId, nameOf);
  return { title: capitalized(title), text: capitalized(text) };
}

const capitalized = (text: string) => text.charAt(0).toUpperCase() + text.slice(1);

function findingText(seen: Seen, gearId: string, nameOf: NameOf): FindingWords {
  const name = nameOf(gearId);
  const names = (ids: readonly string[]) => ids.map(nameOf).join(', ');
  switch (seen.rule) {
    case 'nobody leads':
      return {
        title: 'No leader',
        text: 'Nothing can start without a leader. Make the hub the leader, or choose a device under Leader.',
      };
    case 'two lead':
      return {
        title: `${name} receives two clocks`,
        text: `Clock also arrives from ${names(seen.others)}. Two clocks on one input give the wrong tempo. Turn off Send clock there.`,
      };
    case 'loop':
      return {
        title: `MIDI loop at ${name}`,
        text: `${name}’s clock loops back through ${names(seen.through) || 'a cable'}, so every tick arrives twice. Turn off MIDI thru on the way, or unplug the return cable.`,
      };
    case 'set to internal':
      return {
        title: `${name} is on internal clock`,
        text: 'It is running on its internal clock and ignores the hub. Set its clock source to external, then update it here.',
      };
    case 'cannot lead':
      return {
        title: `${name} can’t be the leader`,
        text: 'It sends neither MIDI clock nor timecode. Make the hub the leader, or choose a device that sends one of them.',
      };
    case 'does not speak':
      return {
        title: `${name} can’t sync to ${seen.language === 'clock' ? 'MIDI clock' : 'timecode'}`,
        text: `It is set to sync to a signal that it doesn’t support. ${seen.speaks.length > 0 ? `Send ${seen.speaks.join(' or ')} instead.` : 'It supports neither MIDI clock nor timecode, so send it no sync.'}`,
      };
    case 'other frame rate':
      return {
        title: `${name} doesn’t support ${fps(seen.sent)}`,
        text: `It supports ${seen.knows.map(fps).join(', ')}. At any other frame rate it drifts or doesn’t lock. Send a frame rate that it supports.`,
      };
    case 'waits for the other':
      return {
        title: `Receiving ${seen.arrives}, but the hub expects ${seen.waitsFor}`,
        text: `Set the hub to follow ${seen.arrives}, or switch the leader to send ${seen.waitsFor}.`,
      };
    case 'nothing arrives':
      return {
        title: seen.cause === 'silent' ? `No sync from ${name}` : `${name} receives no sync`,
        text:
          gearId === HUB_ID && seen.cause === 'no cable'
            ? 'The leader isn’t connected to the hub. Draw a cable from its MIDI out to the hub.'
            : SILENCE[seen.cause],
      };
    case 'old tempo':
      return {
        title: `${name} may show an outdated tempo`,
        text: 'It receives clock only during playback. When stopped, its display and arpeggiator keep the last tempo. Send clock while stopped to keep them current.',
      };
    case 'port in use':
      return {
        title: `Port in use: ${name}`,
        text:
          seen.by === 'cables'
            ? 'Two sources need this port, but only one app can open it. Move one of the cables.'
            : 'Another app is using this port. Close it there, then connect again.',
      };
    case 'too many destinations':
      return {
        title: `${name} sends clock to ${count(seen.has, 'device')}, but can feed only ${seen.can}`,
        text: 'Connect it to the hub only. The hub regenerates the clock for everyone else.',
      };
    case 'same channel':
      return {
        title: `${name} shares channel ${seen.channel}`,
        text: `It has the same MIDI line and channel as ${names(seen.others)}, so each plays every note. Move one of them to a free channel.`,
      };
    case 'long chain':
      return {
        title: `${name} is ${seen.thrus} thrus down a daisy chain`,
        text: 'Every thru in a chain distorts the signal slightly; after two or three, ticks go missing. A split box feeds all devices directly.',
      };
    case 'ticks wait':
      return {
        title: `Notes delay sync to ${name} by up to ${decimal(seen.traffic.worstWaitMs, 1)} ms`,
        text: `Notes and sync share one cable: ${Math.round(seen.traffic.bytesPerSecond)} bytes/s, ${percent(seen.traffic.load)} of its capacity. Run the notes on a separate cable.`,
      };
    case 'offset twice':
      return {
        title: `${name} has two offsets`,
        text: `${seen.own} ${seen.unit} on the device and ${decimal(seen.inHubMs, 1)} ms in the hub, and both apply. Set the device offset to 0.`,
      };
    case 'start again':
      return {
        title: `${name} needs to be restarted`,
        text: 'Its port was reconnected. Press play on the device, or restart it from the hub.',
      };
    case 'shares a wire':
      return {
        title: `${name} shares its wire`,
        text: `${WIRE_CONFLICTS[seen.conflict]} ${seen.others.length > 0 ? `Also on the wire: ${names(seen.others)}. ` : ''}Give ${name} a port of its own.`,
      };
    case 'cannot follow':
      return {
        title: `${name} can’t follow`,
        text: 'It has no external sync, so the hub sends it none. Let it lead, or leave it unsynced.',
      };
    case 'shares the leader’s wire':
      return {
        title: `${name} gets no sync`,
        text: `Its wire also reaches ${nameOf(seen.leaderId)}, the leader, and the hub never sends clock to the leader. Give ${name} a port of its own.`,
      };
    case 'leader waits for clock':
      return {
        title: `${name} leads, but waits for external clock`,
        text: 'It sends nothing until it receives clock itself. Set its clock source to internal, then update it here.',
      };
    case 'route echoes':
      return {
        title: `${name} echoes routed notes back`,
        text: 'Routed notes return through its MIDI thru and are sent again. Turn off MIDI thru on the device, then update it here.',
      };
    case 'no answer':
      return {
        title: `${name} didn’t respond to the line test`,
        text: 'Check its cable, channel and volume, then test the line again.',
      };
    case 'not measured':
      return { title: `${name} isn’t measured yet`, text: 'Its latency is unknown. Record a take on the Bench.' };
    case 'stale':
      return {
        title: `Measurement of ${name} is out of date`,
        text: `Its latency may have changed: ${seen.because}. Record a new take.`,
      };
  }
}

const SILENCE: Readonly<Record<Extract<Seen, { rule: 'nothing arrives' }>['cause'], string>> = {
  'no cable': 'No cable connects it to a device that sends sync. Draw one from the hub, or from a thru.',
  'port gone': 'Its MIDI port is disconnected. Plug it back in; it resumes automatically.',
  'no port': 'The hub socket on this cable has no MIDI port. Connect the MIDI ports, then choose one.',
  'clock out is off': 'The device feeding it isn’t sending clock. Turn on Send clock there.',
  'clock in is off':
    'Clock is sent, but the device isn’t set to receive it. Turn on Receive clock on the device, then update it here.',
  silent:
    'Nothing arrives from the leader. Press play on it: some devices send clock only while playing. If nothing arrives then, check that it sends clock or timecode.',
};

/** Label of the button that cures it; null where no button can. */
export function cureWords(cure: Cure, nameOf: NameOf): string | null {
  switch (cure.kind) {
    case 'lead':
      return `Make ${nameOf(cure.gearId)} the leader`;
    case 'menu':
      return 'Mark as done';
    case 'syncTo':
      return cure.syncsTo === 'nothing'
        ? 'Send no sync'
        : `Send ${cure.syncsTo === 'clock' ? 'MIDI clock' : 'timecode'}`;
    case 'rate':
      return `Send ${fps(cure.rate)}`;
    case 'clockWhileStopped':
      return 'Send clock while stopped';
    case 'channels':
      return `Move to channel ${cure.channels.join(', ')}`;
    case 'offsetOnlyInHub':
      return 'Mark as done';
    case 'listenFor':
      return `Follow ${cure.language}`;
    case 'measure':
      return 'Open Bench';
    case 'rejoin':
      return 'Restart from the hub';
    default:
      return null;
  }
}
