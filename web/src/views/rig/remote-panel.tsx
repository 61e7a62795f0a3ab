import { useNetwork } from '../../network/api';
import { remoteHost, useRemoteHost } from '../../studio/remote-host';
import { Check } from '../../parts/check';
import { count } from '../../words/numbers';

/** The page for phones and tablets. */
export function RemotePanel() {
  const { on, connected, remotes } = useRemoteHost();
  const { network } = useNetwork();
  const here = `${window.location.origin}/remote`;
  const isLocal = ['127.0.0.1', 'localhost', '[::1]'].includes(window.location.hostname);
  const [address] = network?.addresses ?? [];
  return (
    <section aria-label="Remote page">
      <h2 className="mb-1 text-lg font-bold">Remote page</h2>
      <p className="mb-2 text-sm text-soft">
        Position and big buttons on a phone or tablet: play, sections, tap, nudge, fill, next song.
      </p>
      <Check label="Remote page" checked={on} onChange={() => remoteHost.switch(!on)} />
      {on && (
        <div className="mt-2 text-sm" role="status">
          {connected ? (
            <p>
              Open{' '}
              <a href="/remote" target="_blank" rel="noreferrer" className="underline underline-offset-2">
                {here}
              </a>
              . Connected: {count(remotes, 'remote')}.
            </p>
          ) : (
            <p>Not connected to Metronomo’s server. Start it again; this page reconnects by itself.</p>
          )}
          {isLocal && (
            <p className="mt-1 text-soft">
              This address works on this computer only. To open it to your own network, start the server with
              HOST=0.0.0.0
              {address
                ? ` and use the computer’s address, such as http://${address}:${window.location.port}/remote`
                : ''}
              .
            </p>
          )}
        </div>
      )}
    </section>
  );
}
