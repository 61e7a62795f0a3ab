import { createBrowserRouter, Navigate, RouterProvider } from 'react-router';
import { AlignView } from '../views/align/align-view';
import { RunView } from '../views/run/run-view';
import { Shell } from './shell';
import { ViewFailed } from './view-failed';

const PRELOAD_WITHIN_MS = 5000;

const loadRig = () => import('../views/rig/rig-view').then(({ RigView }) => ({ Component: RigView }));
const loadBench = () => import('../views/bench/bench-view').then(({ BenchView }) => ({ Component: BenchView }));
const loadLogbook = () =>
  import('../views/logbook/logbook-view').then(({ LogbookView }) => ({ Component: LogbookView }));

/** Loads all views, so that they open without a server, too. Not while the page starts: it has better to do. */
export function preloadViews(): void {
  const load = () => {
    for (const view of [loadBench, loadRig, loadLogbook])
      // Without a server it fails here without harm; opening the view tries again and shows the error.
      view().catch(() => undefined);
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
          { path: '/rig', lazy: loadRig },
          { path: '/run', element: <RunView /> },
          { path: '/bench/:takeId?', lazy: loadBench },
          { path: '/align', element: <AlignView /> },
          { path: '/logbook/:panel?', lazy: loadLogbook },
          { path: '*', element: <Navigate to="/run" replace /> },
        ],
      },
    ],
  },
]);

export function App() {
  return <RouterProvider router={router} />;
}
