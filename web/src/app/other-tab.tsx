import { Button } from '../parts/button';

/** Shown in place of the app while another tab of it sends the time. */
export function OtherTab({ onTake }: { onTake: () => void }) {
  return (
    <main className="mx-auto flex max-w-xl flex-col items-start gap-3 p-10">
      <h1 className="text-lg font-bold">Metronomo runs in another tab</h1>
      <p>
        Two of them would send two clocks to the same gear. Go on in the other tab, or take over here: that one stops
        then.
      </p>
      <Button tone="strong" onClick={onTake}>
        Take over here
      </Button>
    </main>
  );
}
