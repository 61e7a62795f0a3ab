import { createBrowserRouter, Navigate, RouterProvider } from 'react-router';
import { AlignView } from '../views/align/align-view';
import { RunView } from '../views/run/run-view';
import { Shell } from './shell';
import { ViewFailed } from './view-failed';

const router = createBrowserRouter([
  {
    element: <Shell />,
    errorElement: <ViewFailed />,
    children: [
      {
        errorElement: <ViewFailed />,
        children: [
          {
            path: '/rig',
            lazy: () => import('../views/rig/rig-view').then(({ RigView }) => ({ Component: RigView })),
          },
          { path: '/run', element: <RunView /> },
          {
            path: '/bench/:takeId?',
            lazy: () => import('../views/bench/bench-view').then(({ BenchView }) => ({ Component: BenchView })),
          },
          { path: '/align', element: <AlignView /> },
          {
            path: '/logbook/:panel?',
            lazy: () => import('../views/logbook/logbook-view').then(({ LogbookView }) => ({ Component: LogbookView })),
          },
          { path: '*', element: <Navigate to="/run" replace /> },
        ],
      },
    ],
  },
]);

export function App() {
  return <RouterProvider router={router} />;
}
