import { useEffect, useState, type ReactNode } from 'react';
import { flushSync } from 'react-dom';

/** Print-only content, rendered only while printing. */
export function Paper({ children }: { children: ReactNode }) {
  const [printing, setPrinting] = useState(false);
  useEffect(() => {
    // It must be in the document before the browser lays out the page.
    const begin = () => flushSync(() => setPrinting(true));
    const end = () => setPrinting(false);
    window.addEventListener('beforeprint', begin);
    window.addEventListener('afterprint', end);
    return () => {
      window.removeEventListener('beforeprint', begin);
      window.removeEventListener('afterprint', end);
    };
  }, []);
  if (!printing) return null;
  return (
    <article className="hidden bg-white text-black print:block" aria-hidden>
      {children}
    </article>
  );
}
