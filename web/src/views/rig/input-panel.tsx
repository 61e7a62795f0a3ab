import { useEffect, useState } from 'react';
import { AUDIO_PREFIX, listAudioInputs } from '../../audio/audio-input';
import { changeRig } from '../../studio/rig';
import { inputDesk } from '../../studio/input';
import { useSession } from '../../studio/session';
import { Button } from '../../parts/button';
import { Field, Select } from '../../parts/field';
import { Levels } from '../../parts/levels';
import { Notice } from '../../parts/notice';
import { BOATHOUSE_SOURCE } from '../../store/boathouse';
import type { Rig } from '../../store/records';
import { count } from '../../words/numbers';

/** The audio interface, the click input, and input levels. */
export function InputPanel({ rig }: { rig: Rig }) {
  const input = useSession(({ input }) => input);
  const problem = useSession(({ inputProblem }) => inputProblem);
  const devices = useAudioInputs(input !== null);
  const { sourceId, clickChannel } = rig.input;
  const channels = Math.max(input?.channels ?? 2, clickChannel + 1);
  const choose = (id: string, label: string) =>
    void changeRig((before) => ({ ...before, input: { ...before.input, sourceId: id, label } }));
  return (
    <section aria-label="Audio input">
      <h2 className="mb-2 text-lg font-bold">Audio input</h2>
      <div className="flex flex-col gap-3">
        <Field label="Audio interface">
          {(id) => (
            <Select
              id={id}
              value={sourceId}
              onChange={(event) => choose(event.target.value, event.target.selectedOptions[0]?.text ?? 'Audio input')}
            >
              <option value="none">not connected</option>
              {rig.demo && <option value={BOATHOUSE_SOURCE}>Boathouse interface (stand-in)</option>}
              <option value={AUDIO_PREFIX}>system default input</option>
              {devices.map((device) => (
                <option key={device.id} value={AUDIO_PREFIX + device.id}>
                  {device.label}
                </option>
              ))}
            </Select>
          )}
        </Field>
        {sourceId.startsWith(AUDIO_PREFIX) && !input && (
          <Button onClick={() => void inputDesk.open(sourceId)}>Open audio input</Button>
        )}
        {problem && <Notice>{problem}</Notice>}
        {input && (
          <p className="text-sm text-soft">
            {input.label}, {count(input.channels, 'channel')}
            {sourceId.startsWith(AUDIO_PREFIX) && '; echo cancellation, noise suppression and auto gain are off'}.
          </p>
        )}
        <Field
          label="Click input"
          hint="Run a cable from an output to this input, or put a mic at the speaker. Recording the click along with the gear cancels out your audio latency."
        >
          {(id) => (
            <Select
              id={id}
              value={clickChannel}
              onChange={(event) => {
                const next = Number(event.target.value);
                void changeRig((before) => ({ ...before, input: { ...before.input, clickChannel: next } }));
              }}
            >
              {Array.from({ length: channels }, (_, i) => (
                <option key={i} value={i}>
                  input {i + 1}
                </option>
              ))}
            </Select>
          )}
        </Field>
        <Levels />
      </div>
    </section>
  );
}

/** Device names need permission, so reload the list once an input is open. */
function useAudioInputs(open: boolean) {
  const [devices, setDevices] = useState<{ id: string; label: string }[]>([]);
  useEffect(() => {
    let gone = false;
    const read = () => void listAudioInputs().then((list) => !gone && setDevices(list.filter(({ id }) => id !== '')));
    read();
    navigator.mediaDevices?.addEventListener('devicechange', read);
    return () => {
      gone = true;
      navigator.mediaDevices?.removeEventListener('devicechange', read);
    };
  }, [open]);
  return devices;
}
