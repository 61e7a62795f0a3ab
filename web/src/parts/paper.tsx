import { useEffect, useState, type ReactNode } from 'react';
import { flushSync } from 'react-dom';

/** What goes on paper instead of the screen, made only as it is printed. */
export function Paper({ children }: { children: ReactNode }) {
  const [printing, setPrinting] = useState(false);
  useEffect(() => {
    // The paper has to be there when the browser looks at the page.
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
