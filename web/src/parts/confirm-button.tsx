import { useState, type ReactNode } from 'react';
import { Button } from './button';

/** Asks before an action that can't be undone: the first press shows the question with its two answers. */
export function ConfirmButton({
  question,
  confirm,
  disabled = false,
  onConfirm,
  children,
}: {
  question: string;
  confirm: string;
  disabled?: boolean;
  onConfirm: () => void;
  children: ReactNode;
}) {
  const [asking, setAsking] = useState(false);
  if (!asking)
    return (
      <Button tone="quiet" disabled={disabled} onClick={() => setAsking(true)}>
        {children}
      </Button>
    );
  return (
    <span className="flex flex-wrap items-center gap-2 text-sm" role="group" aria-label={question}>
      {question}
      <Button
        autoFocus
        onClick={() => {
          setAsking(false);
          onConfirm();
        }}
      >
        {confirm}
      </Button>
      <Button tone="quiet" onClick={() => setAsking(false)}>
        Cancel
      </Button>
    </span>
  );
}
