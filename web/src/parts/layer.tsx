import type { ReactNode } from 'react';

/** Settings that most people never need, behind their name and a line about them. */
export function Layer({
  name,
  about,
  isOpen = false,
  children,
}: {
  name: string;
  about: string;
  isOpen?: boolean;
  children: ReactNode;
}) {
  return (
    <details open={isOpen} className="mt-4 border-t border-rule pt-3 text-sm">
      <summary className="cursor-pointer">
        <span className="font-bold">{name}</span>
        <span className="block text-xs text-soft">{about}</span>
      </summary>
      <div className="mt-3 grid grid-cols-2 gap-3">{children}</div>
    </details>
  );
}

/** Settings of one kind in a layer, over its whole width. */
export function Group({ name, about, children }: { name: string; about?: string; children: ReactNode }) {
  return (
    <fieldset className="col-span-2 min-w-0">
      <legend className="text-xs font-bold">{name}</legend>
      {about !== undefined && <p className="text-xs text-soft">{about}</p>}
      {children}
    </fieldset>
  );
}
