import { useEffect, useRef, type ReactNode } from 'react';
import { useSetUp } from '../../flow-effects/set-up-flow';
import { Notice } from '../../parts/notice';

/** One step: what is asked, its body, and the ways on. The heading gets the focus, so that the keyboard goes on from there. */
export function StepFrame({
  above,
  title,
  says,
  children,
  ways,
  waysFirst = false,
  help,
}: {
  above: string;
  title: string;
  says: ReactNode;
  children?: ReactNode;
  ways: ReactNode;
  /** Above a body that may be long. */
  waysFirst?: boolean;
  help?: ReactNode;
}) {
  const problem = useSetUp(({ problem }) => problem);
  const heading = useRef<HTMLHeadingElement>(null);
  useEffect(() => heading.current?.focus(), [title]);
  return (
    <section aria-labelledby="step-title" className="flex max-w-2xl flex-col gap-4">
      <div>
        <p className="text-sm text-soft">{above}</p>
        <h2 id="step-title" ref={heading} tabIndex={-1} className="text-2xl font-bold outline-none">
          {title}
        </h2>
      </div>
      <p>{says}</p>
      {problem && <Notice>{problem}</Notice>}
      {!waysFirst && children}
      <div className="flex flex-wrap gap-2">{ways}</div>
      {waysFirst && children}
      {help && <div className="border-l-3 border-rule pl-4 text-sm text-soft">{help}</div>}
    </section>
  );
}
