import type { Take, TakeKind, TakePlan } from './records';

/** The index fields of a take. */
export function indexedAs({
  plan,
  proof,
  source,
  lines,
}: Pick<Take, 'plan' | 'proof' | 'source' | 'lines'>): Pick<Take, 'kind' | 'gearIds'> {
  const plain: TakeKind = proof ? 'proof' : source === 'recording' ? 'recording' : 'take';
  const gearIds = lines.flatMap(({ gearId }) => gearId ?? []);
  return { kind: plan?.question ?? plain, gearIds: [...new Set(gearIds)] };
}

/** The leader whose sound took the place of the hub’s click; undefined if the click was the reference. */
export function leaderHeard(plan: TakePlan | undefined): string | undefined {
  switch (plan?.question) {
    case 'against':
    case 'startsBySound':
    case 'tempoRun':
    case 'drift':
      return plan.leader;
    default:
      return undefined;
  }
}

/** Whether it stores landings instead of audio. */
export function isLongRun(plan: TakePlan | undefined): boolean {
  return plan?.question === 'drift' && plan.leader === undefined;
}
