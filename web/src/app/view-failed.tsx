import { useEffect } from 'react';
import { Link, useLocation, useNavigate, useRouteError } from 'react-router';
import { Button } from '../parts/button';
import { Notice } from '../parts/notice';
import { forgetFailures } from '../parts/lazy-view';
import { VIEWS } from './views';
import { WaysOn } from './ways-on';

/** As browsers report a script that can't be fetched: there is no error type for it. */
const NOT_LOADED = /dynamically imported module|importing a module script/i;

/** Shown in place of a crashed view; playback continues in its worker. */
export function ViewFailed() {
  const error = useRouteError();
  const { pathname } = useLocation();
  const navigate = useNavigate();
  const isMissing = error instanceof TypeError && NOT_LOADED.test(error.message);
  useEffect(() => forgetFailures, []);
  const tryAgain = () => {
    forgetFailures();
    void navigate(pathname, { replace: true });
  };
  const others = VIEWS.filter(({ path }) => !pathname.startsWith(path));
  return (
    <div className="flex max-w-prose flex-col gap-4 p-10">
      {isMissing ? (
        <>
          <Notice>
            This view can’t be loaded because Metronomo’s server isn’t responding. Playback continues. Start the server,
            then try again.
          </Notice>
          <div>
            <Button onClick={tryAgain}>Try again</Button>
          </div>
        </>
      ) : (
        <Notice>
          This view crashed: {error instanceof Error ? error.message : 'unknown error'}. Playback continues and saved
          data is safe. Reload the page when you can stop playback.
        </Notice>
      )}
      <nav aria-label="Other views" className="flex gap-4 underline">
        {others.map(({ path, name }) => (
          <Link key={path} to={path}>
            {name}
          </Link>
        ))}
      </nav>
      <WaysOn />
    </div>
  );
}
