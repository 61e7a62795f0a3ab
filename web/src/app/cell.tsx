import type { ReactNode } from 'react';

/** One field of the top strip. */
export function Cell({ className, title, children }: { className: string; title?: string; children: ReactNode }) {
  return (
    <div title={title} className={`flex px-5 py-1 max-lg:px-3 not-last:border-r not-last:border-rule ${className}`}>
      {children}
    </div>
  );
}
