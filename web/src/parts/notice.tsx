import { CircleAlert } from 'lucide-react';
import type { ReactNode } from 'react';

/** A problem and what to do about it. Announced to screen readers. */
export function Notice({ children }: { children: ReactNode }) {
  return (
    <div role="alert" className="flex items-start gap-2 border border-wrong bg-raised px-3 py-2 text-sm">
      <CircleAlert aria-hidden size={16} className="mt-0.5 shrink-0 text-wrong" />
      <div>{children}</div>
    </div>
  );
}
