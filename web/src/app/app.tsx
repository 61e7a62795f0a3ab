import { createBrowserRouter, Navigate, RouterProvider } from 'react-router';
import { AlignView } from '../views/align/align-view';
import { RunView } from '../views/run/run-view';
import { lazyView } from './lazy-view';
import { Shell } from './shell';
import { ViewFailed } from './view-failed';

const PRELOAD_WITHIN_MS = 5000;

const rig = lazyView(() => import('../views/rig/rig-view').then(({ RigView }) => RigView));
const bench = lazyView(() => import('../views/bench/bench-view').then(({ BenchView }) => BenchView));
const logbook = lazyView(() => import('../views/logbook/logbook-view').then(({ LogbookView }) => LogbookView));

/** Loads all views, so that they open without a server, too. Not while the page starts: it has better to do. */
export function preloadViews(): void {
  const load = () => {
    // Without a server this fails without harm; opening the view tries again and shows the error.
    for (const { preload } of [bench, rig, logbook]) void preload();
  };
  if ('requestIdleCallback' in window) window.requestIdleCallback(load, { timeout: PRELOAD_WITHIN_MS });
  else setTimeout(load, PRELOAD_WITHIN_MS);
}

const router = createBrowserRouter([
  {
    element: <Shell />,
    errorElement: <ViewFailed />,
    children: [
      {
        errorElement: <ViewFailed />,
        children: [
          { path: '/rig', element: <rig.View /> },
          { path: '/run', element: <RunView /> },
          { path: '/bench/:takeId?', element: <bench.View /> },
          { path: '/align', element: <AlignView /> },
          { path: '/logbook/:panel?', element: <logbook.View /> },
          { path: '*', element: <Navigate to="/run" replace /> },
        ],
      },
    ],
  },
]);

export function App() {
  return <RouterProvider router={router} />;
}
