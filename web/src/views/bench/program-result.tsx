import type { ProgramHeard, ProgramReport } from '@metronomo/core';
import { Button } from '../../parts/button';
import { programText } from '../../parts/take-words';
import type { TakeLine } from '../../store/records';
import { NO_PATCHES } from '../../store/gear';
import { changeRig } from '../../studio/rig';
import { useSession } from '../../studio/session';
import { showToast } from '../../toasts/toast-store';
import { whole } from '../../words/numbers';
import type { Row } from './take-header';

/** Added to what was enough, and rounded up to this: a device isn't always equally quick. */
const MARGIN = 1.1;
const STEP_MS = 5;

/** How far ahead of its beat a program should be sent; null if the test didn't find a lead that is enough. */
export function safeLeadMs({ enoughMs }: ProgramReport): number | null {
  return enoughMs === null ? null : Math.ceil((enoughMs * MARGIN) / STEP_MS) * STEP_MS;
}

export function ProgramVerdict({ line, report }: { line: TakeLine; report: ProgramReport }) {
  const gear = useSession(({ rig }) => rig?.gear.find(({ id }) => id === line.gearId));
  const leadMs = safeLeadMs(report);
  if (leadMs === null)
    return (
      <p className="max-w-prose">
        {line.name} {programText(report)} to change its program. Change programs well before their section, or give each
        sound its own channel.
      </p>
    );
  const isSet = gear?.patchPlan?.leadMs === leadMs;
  const set = () => {
    void changeRig((rig) => ({
      ...rig,
      gear: rig.gear.map((one) =>
        one.id === line.gearId ? { ...one, patchPlan: { ...(one.patchPlan ?? NO_PATCHES), leadMs } } : one,
      ),
    }));
    showToast(`Programs for ${line.name} are now sent ${leadMs} ms ahead.`);
  };
  return (
    <div className="flex flex-wrap items-center gap-4">
      <p className="max-w-prose">
        {line.name} {programText(report)} to change its program. {leadMs} ms ahead leaves a margin.
      </p>
      {gear && (
        <Button disabled={isSet} onClick={set}>
          {isSet ? `Sent ${leadMs} ms ahead` : `Send ${leadMs} ms ahead`}
        </Button>
      )}
    </div>
  );
}

const HEARD: Record<ProgramHeard, string> = {
  new: 'new program',
  late: 'new program, note late',
  mixed: 'between both programs',
  old: 'old program',
  nothing: 'no sound',
};

export function programRows({ notes, tooShortMs, enoughMs }: ProgramReport): Row[] {
  const count = (kind: ProgramHeard) => notes.filter(({ heard }) => heard === kind).length;
  return [
    ['Too short', tooShortMs === null ? 'none' : `${whole(tooShortMs)} ms`],
    ['Long enough', enoughMs === null ? 'none' : `${whole(enoughMs)} ms`],
    ['Old program, between', `${count('old')}, ${count('mixed')}`],
    ['Late notes, silent', `${count('late')}, ${count('nothing')}`],
  ];
}

/** Every test note, by the lead of its program. */
export function ProgramNotes({ report: { notes } }: { report: ProgramReport }) {
  return (
    <table className="w-fit text-sm">
      <caption className="pb-1 text-left text-xs whitespace-nowrap text-soft">
        Test notes by time since the program change
      </caption>
      <thead className="text-left text-xs text-soft">
        <tr>
          <th className="pr-6 font-normal">After, ms</th>
          <th className="font-normal">Heard</th>
        </tr>
      </thead>
      <tbody>
        {groups(notes).map(({ leadMs, heard, times }) => (
          <tr key={`${leadMs} ${heard}`}>
            <td className="pr-6 text-right">{whole(leadMs)}</td>
            <td className={heard === 'new' ? '' : 'text-soft'}>
              {HEARD[heard]}
              {times > 1 && `, ${times} times`}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

function groups(notes: ProgramReport['notes']): (ProgramReport['notes'][number] & { times: number })[] {
  const all = new Map<string, ProgramReport['notes'][number] & { times: number }>();
  for (const note of notes) {
    const key = `${note.leadMs} ${note.heard}`;
    all.set(key, { ...note, times: (all.get(key)?.times ?? 0) + 1 });
  }
  return [...all.values()];
}
