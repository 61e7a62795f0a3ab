import type { Take, TakeKind } from './records';

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
