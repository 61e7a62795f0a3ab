import { AUDIO_PREFIX } from '../../audio/audio-input';
import { Button } from '../../parts/button';
import { GuideLink } from '../../parts/guide-link';
import { Notice } from '../../parts/notice';
import { useMidiAccess, webMidi } from '../../ports/web-midi';
import type { Rig } from '../../store/records';
import { inputDesk } from '../../studio/input';
import { changeRig } from '../../studio/rig';
import { useSession } from '../../studio/session';
import { count } from '../../words/numbers';
import { StepFrame } from './step-frame';
import { useStudioPorts } from './use-studio-ports';

/** What is plugged in: MIDI ports and the audio interface. */
export function PortsStep({ rig, onDone }: { rig: Rig; onDone: () => void }) {
  const { outputs, inputs } = useStudioPorts();
  const { access } = useMidiAccess();
  const input = useSession(({ input }) => input);
  const inputProblem = useSession(({ inputProblem }) => inputProblem);
  const ready = outputs.length > 0;
  const openAudio = () => {
    const source = AUDIO_PREFIX;
    if (rig.input.sourceId === source) return void inputDesk.open(source);
    void changeRig((before) => ({
      ...before,
      input: { ...before.input, sourceId: source, label: 'system default input' },
    }));
  };
  return (
    <StepFrame
      above="What is plugged in"
      title={
        ready ? `${count(outputs.length, 'output')} and ${count(inputs.length, 'input')} found` : 'Connect your ports'
      }
      says="Plug in your MIDI interfaces and your audio interface, and switch your gear on. The set-up finds out what is connected where."
      ways={
        <Button tone={ready && input ? 'strong' : 'plain'} disabled={!ready} onClick={onDone}>
          Continue
        </Button>
      }
      help={
        <>
          More than one audio interface? Choose the one your gear is plugged into under <b>Ports</b> in Rig. Network
          devices connect there, too.
        </>
      }
    >
      <ul className="flex flex-col">
        <li className="ruled-b flex items-center justify-between gap-4 py-3">
          <span>
            <b className="block">MIDI ports</b>
            <span className="text-sm text-soft">
              {ready || inputs.length > 0
                ? [...new Set([...outputs, ...inputs].map(({ name }) => name))].join(', ')
                : access === 'granted'
                  ? 'No ports found. Plug in a device; its ports appear here.'
                  : 'The browser asks you once whether this page may use MIDI.'}
            </span>
          </span>
          {!rig.demo && access !== 'granted' && (
            <Button
              tone="strong"
              className="shrink-0"
              disabled={access === 'asking'}
              onClick={() => void webMidi.request()}
            >
              Connect MIDI
            </Button>
          )}
        </li>
        <li className="ruled-b flex items-center justify-between gap-4 py-3">
          <span>
            <b className="block">Audio interface</b>
            <span className="text-sm text-soft">
              {input
                ? `${input.label}, ${count(input.channels, 'input')}`
                : 'Needed to hear how late each device is. Without it, clock still works.'}
            </span>
          </span>
          {!input && (
            <Button tone={ready ? 'strong' : 'plain'} className="shrink-0" onClick={openAudio}>
              Open audio input
            </Button>
          )}
        </li>
      </ul>
      {access === 'refused' && (
        <Notice>The browser blocked MIDI. Allow MIDI for this page in the address bar, then connect again.</Notice>
      )}
      {access === 'unsupported' && (
        <Notice>
          This browser doesn’t support Web MIDI. Network MIDI works in any browser: connect a device under Ports in Rig.{' '}
          <GuideLink page="recording">What works without MIDI</GuideLink>
        </Notice>
      )}
      {access === 'failed' && (
        <Notice>Couldn’t open the MIDI ports. Another app may be using them: close it, then connect again.</Notice>
      )}
      {inputProblem && <Notice>{inputProblem}</Notice>}
    </StepFrame>
  );
}
