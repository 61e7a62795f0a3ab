import { useRouteError } from 'react-router';
import { Button } from '../parts/button';
import { Notice } from '../parts/notice';

/** Shown in place of a crashed view; playback continues in its worker. */
export function ViewFailed() {
  const error = useRouteError();
  return (
    <div className="flex max-w-prose flex-col gap-3 p-10">
      <Notice>
        This view crashed: {error instanceof Error ? error.message : 'unknown error'}. Playback continues and saved data
        is safe. Reload the page when you can stop playback.
      </Notice>
      <div>
        <Button onClick={() => window.location.reload()}>Reload page</Button>
      </div>
    </div>
  );
}
