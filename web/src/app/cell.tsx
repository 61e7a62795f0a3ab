import type { ReactNode } from 'react';

/** One of the upright fields of the top strip. */
export function Cell({ className, children }: { className: string; children: ReactNode }) {
  return <div className={`flex px-5 not-last:border-r not-last:border-rule ${className}`}>{children}</div>;
}
