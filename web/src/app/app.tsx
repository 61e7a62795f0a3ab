import { createBrowserRouter, Navigate, RouterProvider, type RouterNavigateOptions, type To } from 'react-router';
import { drift, runPanel, RunView } from '../views/run/run-view';
import { guideText } from './guide';
import { helpDialog } from './help';
import { hearInputs } from './hear-inputs-dialog';
import { lazyView } from '../parts/lazy-view';
import { planAhead } from '../studio/plan-ahead';
import { messages } from './ribbon';
import { Shell } from './shell';
import { ViewFailed } from './view-failed';

const rig = lazyView(() => import('../views/rig/rig-view').then(({ RigView }) => RigView));
const align = lazyView(() => import('../views/align/align-view').then(({ AlignView }) => AlignView));
const bench = lazyView(() => import('../views/bench/bench-view').then(({ BenchView }) => BenchView));
const setUp = lazyView(() => import('../views/set-up/set-up-view').then(({ SetUpView }) => SetUpView));
const logbook = lazyView(() => import('../views/logbook/logbook-view').then(({ LogbookView }) => LogbookView));

/** Loads all views, so that they open without a server, too. */
export function preloadViews(): void {
  // Without a server this fails without harm; opening the view tries again and shows the error.
  const parts = [runPanel, drift, messages, helpDialog, guideText, hearInputs];
  for (const { preload } of [bench, rig, align, logbook, setUp, ...parts]) void preload();
}

// Not left to the router, which draws a place that it leads on to after everything else.
if (window.location.pathname === '/') window.history.replaceState(null, '', '/run');

const router = createBrowserRouter([
  {
    element: <Shell />,
    errorElement: <ViewFailed />,
    children: [
      {
        errorElement: <ViewFailed />,
        children: [
          { path: '/rig', element: <rig.View /> },
          { path: '/set-up', element: <setUp.View /> },
          { path: '/run', element: <RunView /> },
          { path: '/bench/:takeId?', element: <bench.View /> },
          { path: '/align', element: <align.View /> },
          { path: '/logbook/:panel?', element: <logbook.View /> },
          { path: '*', element: <Navigate to="/run" replace /> },
        ],
      },
    ],
  },
]);

const { navigate } = router;
/** Another view takes long to draw. */
router.navigate = async (to: To | number | null, options?: RouterNavigateOptions) => {
  await planAhead();
  return typeof to === 'number' ? navigate(to) : navigate(to, options);
};

export function App() {
  return <RouterProvider router={router} />;
}
