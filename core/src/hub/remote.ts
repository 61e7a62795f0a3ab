import { SIXTEENTHS_PER_BEAT, type MidiMessage } from '../midi/message';
import { decodeMmc, type MmcCommand } from '../midi/mmc';
import type { TempoMap } from '../tempo/tempo-map';
import { framesToSeconds, positionToFrames } from '../timecode/code-position';
import { codeAtRate, timecodeToFrames } from '../timecode/timecode';
import type { HubCommand } from './hub-command';
import type { SourceSettings } from './source';

/** The hub commands that an incoming message stands for: start, continue, stop, song position and machine control. */
export function remoteCommands(message: MidiMessage, settings: SourceSettings, song: TempoMap): HubCommand[] {
  switch (message.kind) {
    case 'start':
      return [{ kind: 'locate', beat: 0 }, { kind: 'play' }];
    case 'continue':
      return [{ kind: 'play' }];
    case 'stop':
      return [{ kind: 'stop' }];
    case 'songPosition':
      return [{ kind: 'locate', beat: message.sixteenths / SIXTEENTHS_PER_BEAT }];
    case 'sysex':
      return decodeMmc(message.data).commands.flatMap((command) => machineCommand(command, settings, song));
    default:
      return [];
  }
}

function machineCommand(command: MmcCommand, settings: SourceSettings, song: TempoMap): HubCommand[] {
  switch (command.kind) {
    case 'play':
    case 'deferredPlay':
      return [{ kind: 'play' }];
    case 'stop':
    case 'pause':
      return [{ kind: 'stop' }];
    case 'locate': {
      const place = positionToFrames(command.position);
      if (!place) return [];
      const { timecodeStart } = settings;
      const start = timecodeStart ? timecodeToFrames(codeAtRate(timecodeStart, place.rate), place.rate) : 0;
      const beat = song.beatAt(framesToSeconds(place.frames - start, place.rate) * 1000);
      return beat >= 0 ? [{ kind: 'locate', beat }] : [];
    }
    default:
      return [];
  }
}
