import { Suspense } from 'react';
import { lazyView } from '../parts/lazy-view';
import { useHearing } from '../studio/hearing';

export const hearInputs = lazyView(() =>
  import('./hear-inputs-question').then(({ HearInputsQuestion }) => HearInputsQuestion),
);

/** Loaded when it is first asked. */
export function HearInputsDialog() {
  const asked = useHearing((state) => state.question !== null);
  return <Suspense>{asked && <hearInputs.View />}</Suspense>;
}
