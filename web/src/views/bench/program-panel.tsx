import { useState } from 'react';
import { PROGRAM_TEST_SECONDS, runProgramTest } from '../../flow-effects/program-test';
import { Button } from '../../parts/button';
import { NumberInput } from '../../parts/number-input';
import { PatchInput } from '../../parts/patch-input';
import { withAudioReturn } from '../../store/gear';
import type { PatchNumber } from '../../store/records';
import { useSession } from '../../studio/session';
import { Choice, useRun } from './experiment-panels';

const MIDDLE_C = 60;

/** How long a device needs to change its program: which one, on which channel, between which two. */
export function ProgramPanel() {
  const gear = withAudioReturn(useSession(({ rig }) => rig?.gear) ?? []).filter(({ portId }) => portId !== null);
  const [chosen, setChosen] = useState('');
  const [channel, setChannel] = useState<number | null>(null);
  const [note, setNote] = useState(MIDDLE_C);
  const [programs, setPrograms] = useState<[PatchNumber, PatchNumber]>([
    { program: 0, bank: null },
    { program: 1, bank: null },
  ]);
  const { busy, run } = useRun();
  const one = gear.find(({ id }) => id === chosen) ?? gear.find(({ patchPlan }) => patchPlan) ?? gear[0];
  if (!one)
    return (
      <p className="text-sm text-soft">
        No device has an output port and an audio return. Set both on its card in Rig.
      </p>
    );
  const onChannel = channel ?? one.patchPlan?.channel ?? one.noteChannel;
  const fields: [string, React.ReactNode][] = [
    [
      'MIDI channel',
      <NumberInput key="c" name="MIDI channel" value={onChannel} least={1} most={16} onSave={setChannel} />,
    ],
    [
      'First program',
      <ProgramInput key="a" name="First program" value={programs[0]} onSave={(to) => setPrograms([to, programs[1]])} />,
    ],
    [
      'Second program',
      <ProgramInput
        key="b"
        name="Second program"
        value={programs[1]}
        onSave={(to) => setPrograms([programs[0], to])}
      />,
    ],
    ['Note number', <NumberInput key="n" name="Note number" value={note} least={0} most={127} onSave={setNote} />],
  ];
  return (
    <div className="flex flex-col gap-4">
      <p className="text-sm">
        Choose two programs that sound clearly different. Programs count from 0; write bank/program for a bank.
      </p>
      <Choice
        label="Device"
        value={one.id}
        options={gear.map(({ id, name }) => [id, name] as const)}
        onChange={(id) => {
          setChosen(id);
          setChannel(null);
        }}
      />
      <div className="grid grid-cols-[1fr_auto] items-center gap-x-3 gap-y-2 text-sm">
        {fields.map(([label, input]) => (
          <div key={label} className="contents">
            <span aria-hidden className="text-xs text-soft">
              {label}
            </span>
            {input}
          </div>
        ))}
      </div>
      <p className="text-xs text-soft">{PROGRAM_TEST_SECONDS} s in total; playback must be stopped</p>
      <Button
        tone="strong"
        disabled={busy}
        onClick={() => run(() => runProgramTest({ gear: one, channel: onChannel, note, programs }))}
      >
        Measure changes
      </Button>
    </div>
  );
}

function ProgramInput({
  name,
  value,
  onSave,
}: {
  name: string;
  value: PatchNumber;
  onSave: (to: PatchNumber) => void;
}) {
  return <PatchInput name={name} value={value} onSave={(to) => to && onSave(to)} />;
}
