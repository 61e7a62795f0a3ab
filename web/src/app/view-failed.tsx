import { Link, useLocation, useRouteError } from 'react-router';
import { Notice } from '../parts/notice';
import { VIEWS } from './views';
import { WaysOn } from './ways-on';

/** Shown in place of a crashed view; playback continues in its worker. */
export function ViewFailed() {
  const error = useRouteError();
  const { pathname } = useLocation();
  const others = VIEWS.filter(({ path }) => !pathname.startsWith(path));
  return (
    <div className="flex max-w-prose flex-col gap-4 p-10">
      <Notice>
        This view crashed: {error instanceof Error ? error.message : 'unknown error'}. Playback continues and saved data
        is safe. Reload the page when you can stop playback.
      </Notice>
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
