import { useState } from 'react';
import { changeRig } from '../../hub/session';
import { setBuffer, type NetworkSession } from '../../network/api';
import { withPeer } from '../../network/peers';
import type { RememberedPeer } from '../../store/records';

const MOST_MS = 500;

/** How much later than it was sent everything from a peer is played. */
export function BufferField({ peer, session }: { peer: RememberedPeer; session: NetworkSession | undefined }) {
  const [draft, setDraft] = useState<string | null>(null);
  const take = () => {
    const ms = Number(draft?.replace(/ ?ms$/, ''));
    setDraft(null);
    if (draft === null || draft.trim() === '' || !(ms >= 0 && ms <= MOST_MS) || ms === peer.bufferMs) return;
    void changeRig((before) => withPeer(before, { ...peer, bufferMs: ms }));
    if (session?.state === 'open') setBuffer(session.id, ms).catch(() => undefined);
  };
  return (
    <label className="flex items-center gap-2 text-xs text-soft">
      what comes is played
      <input
        value={draft ?? `${peer.bufferMs} ms`}
        aria-label={`Buffer for ${peer.name}`}
        inputMode="decimal"
        className="w-16 border border-rule px-1.5 py-0.5 text-right text-ink hover:border-ink"
        onFocus={({ target }) => {
          setDraft(String(peer.bufferMs));
          requestAnimationFrame(() => target.select());
        }}
        onChange={({ target }) => setDraft(target.value.slice(0, 8))}
        onBlur={take}
        onKeyDown={({ key, currentTarget }) => key === 'Enter' && currentTarget.blur()}
      />
      after it was sent
    </label>
  );
}
