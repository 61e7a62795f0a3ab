import { SIXTEENTHS_PER_BEAT, type MidiMessage } from '../midi/message';
import { decodeMmc, type MmcCommand } from '../midi/mmc';
import type { TempoMap } from '../tempo/tempo-map';
import { framesToSeconds, positionToFrames } from '../timecode/code-position';
import { codeAtRate, timecodeToFrames, type Timecode } from '../timecode/timecode';
import type { HubCommand } from './hub-command';

/** Where the song begins on the timeline of machine control. */
interface Start {
  timecodeStart?: Timecode;
}

/** What an incoming message asks of the hub; `ignored`: machine control that it has no use for, by name. */
export interface Asked {
  commands: HubCommand[];
  ignored: string[];
}

/** Start, continue, stop, song position and machine control as hub commands. */
export function remoteCommands(message: MidiMessage, settings: Start, song: TempoMap): Asked {
  if (message.kind === 'sysex') return machineCommands(message.data, settings, song);
  return { commands: syncCommands(message), ignored: [] };
}

function syncCommands(message: MidiMessage): HubCommand[] {
  switch (message.kind) {
    case 'start':
      return [{ kind: 'locate', beat: 0 }, { kind: 'play' }];
    case 'continue':
      return [{ kind: 'play' }];
    case 'stop':
      return [{ kind: 'stop' }];
    case 'songPosition':
      return [{ kind: 'locate', beat: message.sixteenths / SIXTEENTHS_PER_BEAT }];
    default:
      return [];
  }
}

function machineCommands(data: Uint8Array, settings: Start, song: TempoMap): Asked {
  const asked: Asked = { commands: [], ignored: [] };
  for (const command of decodeMmc(data).commands) {
    const commands = machineCommand(command, settings, song);
    asked.commands.push(...(commands ?? []));
    if (!commands) asked.ignored.push(command.kind === 'unknown' ? `command ${command.command}` : command.kind);
  }
  return asked;
}

/** Null if the hub has no use for it. */
function machineCommand(command: MmcCommand, settings: Start, song: TempoMap): HubCommand[] | null {
  switch (command.kind) {
    case 'play':
    case 'deferredPlay':
      return [{ kind: 'play' }];
    case 'stop':
      return [{ kind: 'stop' }];
    case 'pause':
      return [{ kind: 'pause' }];
    case 'fastForward':
    case 'rewind':
      return [{ kind: 'wind', direction: command.kind }];
    case 'recordStrobe':
      return [{ kind: 'record', on: true }];
    case 'recordExit':
      return [{ kind: 'record', on: false }];
    case 'reset':
      return [{ kind: 'stop' }, { kind: 'locate', beat: 0 }];
    case 'locate': {
      const place = positionToFrames(command.position);
      if (!place) return null;
      const { timecodeStart } = settings;
      const start = timecodeStart ? timecodeToFrames(codeAtRate(timecodeStart, place.rate), place.rate) : 0;
      const beat = song.beatAt(framesToSeconds(place.frames - start, place.rate) * 1000);
      return beat >= 0 ? [{ kind: 'locate', beat }] : null;
    }
    default:
      return null;
  }
}
