import clsx from 'clsx';
import type { ReactNode } from 'react';

/** A button that opens a file dialog. Its children are its face. */
export function OpenFile({
  name,
  accept,
  onFile,
  className,
  children,
}: {
  name: string;
  accept: string;
  onFile: (file: File) => void;
  className?: string;
  children: ReactNode;
}) {
  return (
    <label
      className={clsx('inline-flex cursor-pointer items-center gap-2 has-focus-visible:outline-2', className)}
      title={name}
    >
      {children}
      <input
        type="file"
        accept={accept}
        aria-label={name}
        className="sr-only"
        onChange={({ target }) => {
          const [file] = target.files ?? [];
          if (file) onFile(file);
          target.value = ''; // Otherwise the same file couldn't be opened twice.
        }}
      />
    </label>
  );
}
