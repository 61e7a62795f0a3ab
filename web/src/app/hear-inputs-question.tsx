import { AlertDialog } from 'radix-ui';
import { Button } from '../parts/button';
import { answerHearing, useHearing } from '../studio/hearing';

/** A warning before a loop of sound is likely. */
export function HearInputsQuestion() {
  const question = useHearing((state) => state.question);
  return (
    <AlertDialog.Root open={question !== null} onOpenChange={(open) => !open && void answerHearing(false)}>
      <AlertDialog.Portal>
        <AlertDialog.Overlay className="fixed inset-0 z-10 bg-ink/30" />
        <AlertDialog.Content className="fixed top-1/3 left-1/2 z-20 w-96 max-w-[calc(100vw-2rem)] -translate-x-1/2 border border-ink bg-raised p-5 shadow-md">
          <AlertDialog.Title className="mb-2 text-lg font-bold">Hear inputs?</AlertDialog.Title>
          <AlertDialog.Description className="mb-4 text-sm">
            {question?.why} If sound from the speakers reaches the input, it goes round and howls. Use headphones, or
            turn the speakers down first.
          </AlertDialog.Description>
          <div className="flex gap-2">
            <AlertDialog.Action asChild>
              <Button onClick={() => void answerHearing(true)}>Hear inputs</Button>
            </AlertDialog.Action>
            <AlertDialog.Cancel asChild>
              <Button tone="quiet">Cancel</Button>
            </AlertDialog.Cancel>
          </div>
        </AlertDialog.Content>
      </AlertDialog.Portal>
    </AlertDialog.Root>
  );
}
