import { Button } from '../parts/button';

/** Shown instead of the app while another tab is in control. */
export function OtherTab({ onTake }: { onTake: () => void }) {
  return (
    <main className="mx-auto flex max-w-xl flex-col items-start gap-3 p-10">
      <h1 className="text-lg font-bold">Metronomo is open in another tab</h1>
      <p>
        Two tabs would send two clocks to the same gear. Continue in the other tab, or take over here; the other tab
        then stops.
      </p>
      <Button tone="strong" onClick={onTake}>
        Take over here
      </Button>
    </main>
  );
}
