import clsx from 'clsx';
import type { ButtonHTMLAttributes, Ref } from 'react';

type Props = ButtonHTMLAttributes<HTMLButtonElement> & {
  /** `strong` for the main action. */
  tone?: 'strong' | 'plain' | 'quiet';
};

export function Button({ tone = 'plain', className, ...rest }: Props & { ref?: Ref<HTMLButtonElement> }) {
  return (
    <button
      type="button"
      className={clsx(
        'inline-flex items-center justify-center gap-2 px-3 py-1.5 text-sm whitespace-nowrap',
        'disabled:border-rule disabled:bg-transparent disabled:text-soft',
        tone === 'strong' && 'border border-ink bg-ink text-sheet enabled:hover:bg-soft',
        tone === 'plain' && 'border border-ink bg-raised enabled:hover:bg-sheet',
        tone === 'quiet' &&
          'border border-transparent text-soft underline-offset-4 enabled:hover:text-ink enabled:hover:underline disabled:!border-transparent disabled:opacity-50',
        className,
      )}
      {...rest}
    />
  );
}
