import '@fontsource/b612/400.css';
import '@fontsource/b612/700.css';
import '@fontsource/b612-mono/400.css';
import './app/styles.css';
import { StrictMode } from 'react';
import { flushSync } from 'react-dom';
import { createRoot } from 'react-dom/client';
import { App, preloadViews } from './app/app';
import { OtherTab } from './app/other-tab';
import { applySheet } from './app/sheet';
import { loadFilesWorker } from './files/files-flow';
import { watchHistory } from './history/watch-history';
import { watchStorage } from './history/watch-storage';
import { watchDrift } from './studio/drift-watch';
import { remoteHost } from './studio/remote-host';
import { watchSongEnds } from './studio/set-list';
import { useSession } from './studio/session';
import { runInOneTab } from './studio/single-tab';
import { endStudio, showLastRig, startStudio } from './studio/start';
import { keepInstalled } from './studio/installed';
import { planAheadWhenShown } from './studio/plan-ahead';
import { stayAwake } from './studio/stay-awake';
import { deleteLeftovers } from './store/own-data';
import { StartFailed } from './app/start-failed';
import { ignoreKnownLosses } from './workers/known-losses';

const IDLE_WITHIN_MS = 5000;
const SHOWN_WITHIN_MS = 200;

applySheet();
ignoreKnownLosses(window);
const root = createRoot(document.getElementById('root') as HTMLElement);

async function start({ take = false } = {}): Promise<void> {
  const runs = await runInOneTab(givenUp, { take });
  if (!runs) {
    // Nothing was started here, so taking over needs no reload.
    root.render(<OtherTab onTake={() => void start({ take: true })} />);
    return;
  }
  try {
    const rig = await showLastRig();
    flushSync(() =>
      root.render(
        <StrictMode>
          <App />
        </StrictMode>,
      ),
    );
    await pictureShown();
    await Promise.all([startStudio(rig), loadFilesWorker()]);
    watchDrift();
    watchSongEnds();
    remoteHost.begin();
    watchHistory();
    watchStorage();
    void deleteLeftovers();
    stayAwake();
    planAheadWhenShown();
    useSession.setState({ starting: false });
    whenIdle(preloadViews);
    whenIdle(keepInstalled);
  } catch (error) {
    root.render(<StartFailed error={error} />);
  }
}

/** Resolves once the browser has had time to show what was drawn; a hidden window shows nothing. */
function pictureShown(): Promise<void> {
  return new Promise((resolve) => {
    requestAnimationFrame(() => setTimeout(resolve));
    setTimeout(resolve, SHOWN_WITHIN_MS);
  });
}

/** What the first picture can do without has time until the page is idle. */
function whenIdle(load: () => void): void {
  if ('requestIdleCallback' in window) window.requestIdleCallback(load, { timeout: IDLE_WITHIN_MS });
  else setTimeout(load, IDLE_WITHIN_MS);
}

/** Another tab took over: stop here; taking back needs a reload. */
function givenUp(): void {
  void endStudio().then(() => {
    const takeBack = () => {
      sessionStorage.setItem(TAKE_KEY, 'yes');
      window.location.reload();
    };
    root.render(<OtherTab onTake={takeBack} />);
  });
}

/** Set by a tab that reloads in order to take over. */
const TAKE_KEY = 'metronomo.take';
const takes = sessionStorage.getItem(TAKE_KEY) !== null;
sessionStorage.removeItem(TAKE_KEY);
void start({ take: takes });
