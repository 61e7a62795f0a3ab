import { Suspense, useEffect } from 'react';
import { Toast } from 'radix-ui';
import { Outlet, useLocation } from 'react-router';
import { Announcer } from './announcer';
import { HearInputsDialog } from './hear-inputs-dialog';
import { KeepSessions } from './keep-sessions';
import { Hints } from './hints';
import { Ribbon } from './ribbon';
import { useFocusKeeper } from './focus-keeper';
import { Help } from './help';
import { Steps } from './steps';
import { NewerVersion } from './newer-version';
import { Notice } from '../parts/notice';
import { useSession } from '../studio/session';
import { Toasts } from '../toasts/toasts';
import { TopStrip } from './top-strip';
import { useShortcuts } from './use-shortcuts';
import { SET_UP, VIEWS } from './views';

/** The frame around every view: top strip, steps, ribbon. */
export function Shell() {
  useShortcuts();
  useFocusKeeper();
  const { pathname } = useLocation();
  const starting = useSession(({ starting }) => starting);
  const engineProblem = useSession(({ engineProblem }) => engineProblem);
  const view = [...VIEWS, SET_UP].find(({ path }) => pathname.startsWith(path));
  useEffect(() => {
    document.title = view ? `${view.name} · Metronomo` : 'Metronomo';
  }, [view]);
  return (
    <Toast.Provider swipeDirection="right" label="Notification">
      <a
        href="#view"
        className="sr-only border border-ink bg-raised px-3 py-2 focus:not-sr-only focus:fixed focus:top-2 focus:left-2 focus:z-20"
        onClick={(event) => {
          // Not by the address, which belongs to the router.
          event.preventDefault();
          document.getElementById('view')?.focus();
        }}
      >
        Skip to {view?.name ?? 'the view'}
      </a>
      <div
        inert={starting}
        className="flex h-dvh flex-col overflow-hidden print:block print:h-auto print:overflow-visible"
      >
        <TopStrip />
        <Steps />
        <NewerVersion />
        <Hints />
        {engineProblem && <Notice>{engineProblem}</Notice>}
        <main
          id="view"
          tabIndex={-1}
          aria-busy={starting}
          className="min-h-0 flex-1 overflow-auto print:overflow-visible"
        >
          <h1 className="sr-only">{view?.name ?? 'Metronomo'}</h1>
          {/* Around all views: one that loads leaves the one before in place. */}
          <Suspense>
            <Outlet />
          </Suspense>
        </main>
        <KeepSessions />
        <Announcer />
        <Toasts />
        <Ribbon />
      </div>
      <HearInputsDialog />
      <Help />
    </Toast.Provider>
  );
}
