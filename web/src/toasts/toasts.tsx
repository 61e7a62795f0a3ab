import { Toast } from 'radix-ui';
import { dismiss, useToasts } from './toast-store';

/** Transient messages in a row of their own above the ribbon, so that they cover nothing. */
export function Toasts() {
  const messages = useToasts(({ messages }) => messages);
  return (
    <>
      {messages.map(({ id, text, undo }) => (
        <Toast.Root
          key={id}
          duration={7000}
          onOpenChange={(open) => !open && dismiss(id)}
          className="ruled-t flex items-center gap-4 bg-raised px-4 py-1.5 text-sm"
        >
          <Toast.Description>{text}</Toast.Description>
          {undo && (
            <Toast.Action altText="Undo" asChild>
              <button type="button" className="border border-ink px-2 py-1 hover:bg-sheet" onClick={undo}>
                Undo
              </button>
            </Toast.Action>
          )}
        </Toast.Root>
      ))}
      <Toast.Viewport className="shrink-0 print:hidden" />
    </>
  );
}
