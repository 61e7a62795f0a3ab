import { useState } from 'react';
import { runMidiReturn } from '../../flow-effects/midi-return';
import { Button } from '../../parts/button';
import { count } from '../../words/numbers';
import { useMidiInputs } from './clock-sources';
import { Choice, useRun } from './experiment-panels';

const BARS = [4, 8, 16, 32];

/** Returning MIDI: the input port it arrives on. */
export function MidiReturnPanel() {
  const sources = useMidiInputs();
  const [portId, setPortId] = useState<string | null>(null);
  const [bars, setBars] = useState(8);
  const { busy, run } = useRun();
  const port = sources.find((one) => one.portId === portId) ?? sources[0];
  if (!port) return <p className="text-sm text-soft">No MIDI input is connected. Connect one in Rig.</p>;
  return (
    <div className="flex flex-col gap-4">
      <p className="text-sm">
        Turn on clock, notes or timecode output on the device. The hub plays, and times what returns.
      </p>
      <Choice
        label="Input port"
        value={port.portId}
        options={sources.map(({ portId, name }) => [portId, name] as const)}
        onChange={setPortId}
      />
      <Choice
        label="Length"
        value={bars}
        options={BARS.map((one) => [one, count(one, 'bar')] as const)}
        onChange={setBars}
      />
      <Button tone="strong" disabled={busy} onClick={() => run(() => runMidiReturn(port, bars))}>
        Measure returning MIDI
      </Button>
    </div>
  );
}
