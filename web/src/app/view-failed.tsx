import { useRouteError } from 'react-router';
import { Button } from '../parts/button';
import { Notice } from '../parts/notice';

/** A view that broke; time goes on in its worker, and what is stored is stored. */
export function ViewFailed() {
  const error = useRouteError();
  return (
    <div className="flex max-w-prose flex-col gap-3 p-10">
      <Notice>
        This view broke: {error instanceof Error ? error.message : 'unknown error'}. The clock goes on, and nothing that
        was stored is lost.
      </Notice>
      <div>
        <Button onClick={() => window.location.reload()}>Load the page again</Button>
      </div>
    </div>
  );
}
